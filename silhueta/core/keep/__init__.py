"""Nothing lost, everything found again: journals, shelves of jobs, one recipe for many files."""
