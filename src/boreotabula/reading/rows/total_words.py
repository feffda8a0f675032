"""The words with which rows of totals and averages begin, in the usual languages."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.layout.headings import fold
from boreotabula.sheets.sheet import Sheet

TOTAL_WORDS = tuple(
    fold(word)
    for word in (
        "total", "totals", "subtotal", "grand total", "sum", "average", "mean", "overall",
        "totalt", "totalsum", "delsum", "i alt", "ialt", "gjennomsnitt", "snitt",
        "summa", "delsumma", "totalsumma", "genomsnitt", "medelvärde",
        "gennemsnit", "yhteensä", "välisumma", "keskiarvo",
        "summe", "gesamt", "gesamtsumme", "insgesamt", "zwischensumme", "durchschnitt",
        "mittelwert", "somme", "sous total", "moyenne", "suma", "promedio",
        "somma", "totale", "media", "soma", "média", "totaal", "subtotaal", "gemiddelde",
        "razem", "ogółem", "średnia", "celkem", "součet", "průměr", "kokku", "keskmine",
        "kopā", "iš viso", "итого", "всего", "среднее",
    )
)  # fmt: skip


AVERAGE_WORDS = tuple(
    fold(word)
    for word in (
        "average", "mean", "gjennomsnitt", "snitt", "genomsnitt", "medelvärde", "gennemsnit",
        "keskiarvo", "durchschnitt", "mittelwert", "moyenne", "promedio", "media", "média",
        "gemiddelde", "średnia", "průměr", "keskmine", "среднее",
    )
)  # fmt: skip
"""Those of them that mean an average."""


def begins_as_total(
    sheet: Sheet, row: int, named: Sequence[int], words: Sequence[str] = TOTAL_WORDS
) -> bool:
    """Whether the first filled cell of a row, in some columns, begins with a word for a total."""
    text = next((cell for column in named if (cell := sheet.rows[row][column]) != ""), "")
    # A number names nothing.
    if not isinstance(text, str):
        return False
    label = fold(text).strip()
    return any(
        # “Summer” begins with “sum”, and is none.
        label.startswith(word) and not label[len(word) : len(word) + 1].isalnum()
        for word in words
    )
