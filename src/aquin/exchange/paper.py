"""What printed sheets have in common: fonts, paragraph styles, table lines, page."""

from pathlib import Path
from typing import Any


def styles() -> dict[str, Any]:
    """Paragraph styles by name: title, section, body, small, head."""
    from reportlab.lib import colors
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    fonts = Path(__file__).parents[1] / "fonts"
    for name, file in (("Sheet", "OpenSans-Regular.ttf"), ("SheetBold", "OpenSans-Semibold.ttf")):
        pdfmetrics.registerFont(TTFont(name, str(fonts / file)))
    body = ParagraphStyle(
        "body", fontName="Sheet", fontSize=9, leading=12.5, textColor=colors.HexColor("#333333")
    )
    small = ParagraphStyle("small", parent=body, fontSize=8, leading=10.5)
    return {
        "body": body,
        "small": small,
        "head": ParagraphStyle("head", parent=small, fontName="SheetBold"),
        "title": ParagraphStyle(
            "title", parent=body, fontName="SheetBold", fontSize=17, leading=21, textColor=colors.black
        ),
        "section": ParagraphStyle(
            "section",
            parent=body,
            fontName="SheetBold",
            fontSize=12,
            leading=15,
            spaceBefore=10,
            spaceAfter=3,
        ),
    }


def lines() -> Any:
    """Thin rules under rows, a stronger one under the head."""
    from reportlab.lib import colors
    from reportlab.platypus import TableStyle

    return TableStyle(
        [("LINEBELOW", (0, 0), (-1, 0), 1, colors.HexColor("#777777")), ("LINEBELOW", (0, 1), (-1, -1), 0.4, colors.HexColor("#cccccc")),
         ("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 3), ("RIGHTPADDING", (0, 0), (-1, -1), 3)]
    )  # fmt: skip


def build(path: Path, story: list[Any], title: str) -> None:
    """Write a landscape A4 document."""
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.lib.units import mm
    from reportlab.platypus import SimpleDocTemplate

    SimpleDocTemplate(
        str(path), pagesize=landscape(A4), leftMargin=15 * mm, rightMargin=15 * mm, topMargin=14 * mm, bottomMargin=14 * mm,
        title=title, author="Aquin",
    ).build(story)  # fmt: skip
