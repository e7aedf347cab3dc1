"""Tools of those who build Silhueta."""
