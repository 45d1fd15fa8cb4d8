"""`python -m aquin`: the same as the `aquin` command."""

from aquin.cli import run

if __name__ == "__main__":
    run()
