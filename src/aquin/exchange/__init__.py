"""Open formats in and out. Each module reads and writes one format; `proof` checks a written file from outside."""
