"""Productions that several machines share through a PostgreSQL server (extra `server`)."""
