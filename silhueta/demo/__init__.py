"""The jobs of Oficina Maré Alta and the script that draws them."""
