"""Names of files from names of things."""


def safe_name(name: str) -> str:
    """A camera's or shot's name as part of a file name: letters, digits, - and _."""
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in name).strip("-") or "unnamed"
