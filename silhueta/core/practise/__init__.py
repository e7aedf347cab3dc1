"""Made-up photos and scans, so that the whole way can be tried without a device."""
