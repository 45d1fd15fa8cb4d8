"""What the Shots view says where there is nothing to show."""

from aquin.production import Production, Shot


def said_without_rows(production: Production | None, logging: bool, rows: bool) -> str:
    """In place of the log; "" where it has `rows`. `logging`: whether media are being looked at."""
    if production is None:
        return (
            "No production is open.\n\nMake one with File, New production (Ctrl+N), open one "
            "(Ctrl+Shift+P), or look at the demo."
        )
    if rows:
        return ""
    if production.all(Shot):
        return "No shot fits this filter."
    if logging:
        return (
            "Logging media \u2026\n\nThe shots come here once every file was looked at. Cameras and setups are "
            "proposed from what the files say."
        )
    return (
        "Nothing is logged yet.\n\nDrop a folder of media here, or use Log \u2026  Cameras and setups are "
        "proposed from what the files say."
    )


def said_of_findings(selected: int, audited: bool, auditing: bool, any_shots: bool) -> str:
    """Over the list of findings: of which shots they are, or why there are none."""
    if not audited and auditing:
        return "The shots are being measured and audited \u2026"
    if not audited:
        return "Not audited yet: press Audit." if any_shots else ""
    if not selected:
        return "of the whole production"
    return "of the selected shot" if selected == 1 else f"of {selected} selected shots"
