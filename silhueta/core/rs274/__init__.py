"""Programs for machines, read: RS-274 as NIST publishes it."""
