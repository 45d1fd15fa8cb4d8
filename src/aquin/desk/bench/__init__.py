"""The Bench: hero and shot side by side, the ledger, the stack and the scopes."""
