"""Why filled cells are in no record: the reasons of unplaced.csv, and the rules of the account."""

from __future__ import annotations

from enum import StrEnum


class Why(StrEnum):
    """Why a cell is unplaced."""

    NO_STUB = "values in a row without stub"
    COLUMN_NUMBERS = "column numbers under the headings"
    LIKE_TOTAL = "it looks like a total"
    UNLIKE_RECORDS = "in a row that is not filled as the records are"
    BELOW = "below the table"
    GROUP_WITHOUT_LINES = "the name of a group without lines"
    NO_VALUES = "in a row without values"
    NO_RECORD = "no record holds it"
    HEADINGS_AGAIN = "in a row that repeats the headings of its columns"
    NO_LEVEL = "in a row between the headings that is no heading level"
    NUMBER_OVER_STUB = "a number over the stub, which is found by texts"
    HEADING_UNKNOWN = "its heading is not known"
    VALUE_UNKNOWN = "its heading names none of the values"
    NO_HEADING = "no heading over it"
    NO_NAME = "no name in `columns`"
    NO_YEAR = "a month without its year"
    NOT_READ = "no part of the layout reads it"
    NO_TABLE = "no table was found on this tab"
    ABOVE = "above the table"
    OUTSIDE = "outside the table"
    FIELD_FILLED = "the field {field} is already filled by {filler}"
    FILLED_BY_COLUMN = "the column at {cell}"


class Rule(StrEnum):
    """Rules of the layout that leave cells out, as the account names them.

    After those that end with a colon the pattern follows.
    """

    PASSED_OVER = "columns: no field"
    UNKNOWN_LEFT_OUT = "unknown_headings: leave out"
    VISIBLE_ONLY = "visible_only"
    UNHEADED_IGNORED = 'ignore: ""'
    BLANK = "blank"
    GROUP_ROW = "group_row"
    BELOW = "below"
    BESIDE = "beside"

    def of(self, pattern: str) -> str:
        """The rule, completed with the pattern that applies."""
        return f"{self.value}: {pattern}"


class Origin(StrEnum):
    """The source of a value that is in no cell."""

    TAB_NAME = "tab name"
    FILE_PATH = "file path"
    NAME = "the name of the file or tab"
    DEFINED_NAME = "the name “{name}”"
    LAYOUT = "the layout"
    DEFAULT = "the layout's default"


class Refusal(StrEnum):
    """Why a row between or above headings is no level of them."""

    FILLS_STUB = "fills the stub as a row of the table does"
    FIGURES = "holds figures where its level has texts"
