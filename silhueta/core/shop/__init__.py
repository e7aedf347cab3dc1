"""What the shop has: tools, materials and machines, from open files."""
