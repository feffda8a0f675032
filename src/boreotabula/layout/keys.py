"""What the keys of a layout may hold: how a value is written, checked and compiled.

Each type is declared here once. For the code that reads forms it is plain data: patterns are
compiled, addresses are rows and columns. What validation needs besides is in the annotation, and is
used only when the text of a layout is validated: a compiled layout works without pydantic.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, ClassVar

from boreotabula.layout.addresses import Address, parse_address
from boreotabula.layout.field_types import DECIMAL, FIELD_TYPES, is_type
from boreotabula.layout.patterns import Pattern, PatternError, PatternKind, pattern

if TYPE_CHECKING:
    from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
    from pydantic_core import CoreSchema

CUSTOM = "layout"
"""The type of validation errors that carry our own message."""


FOR_EDITORS: ContextVar[bool] = ContextVar("for editors", default=False)
"""Whether a schema is made for editors, with all ways to write a value."""


@dataclass(frozen=True)
class Strictly:
    """A value that is not converted, with its limits, as pydantic names them."""

    limits: tuple[tuple[str, float], ...]

    def __init__(self, **limits: float) -> None:
        object.__setattr__(self, "limits", tuple(limits.items()))

    def __get_pydantic_core_schema__(
        self, source: object, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        """The schema of the plain type, with the limits."""
        schema: Any = handler(source)
        return schema | {"strict": True} | dict(self.limits)  # type: ignore[no-any-return]


@dataclass(frozen=True)
class Accepts:
    """A value that may be written in shorter ways; `spread` expands them."""

    written: Any
    """The types that may be written, for editors."""
    spread: Callable[[Any], Any]

    def __get_pydantic_core_schema__(
        self, source: object, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        """The schema of the plain type, after its short forms are expanded."""
        from pydantic_core import core_schema

        # Only editors ask for the short forms: they double the time that it takes to get ready.
        written = handler.generate_schema(self.written) if FOR_EDITORS.get() else None
        return core_schema.no_info_before_validator_function(
            self.spread, handler(source), json_schema_input_schema=written
        )


@dataclass(frozen=True)
class Compiled:
    """A value that is compiled from what is written. `compile` raises ValueError with what is
    wrong."""

    written: Any
    """The type in its written form."""
    compile: Callable[[Any], Any]

    def __get_pydantic_core_schema__(
        self, source: object, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        """The schema of the written form, and then of the compiled one."""
        from pydantic_core import core_schema

        written = handler.generate_schema(self.written)
        return core_schema.no_info_after_validator_function(self._made, written)

    def _made(self, value: Any) -> Any:
        from pydantic_core import PydanticCustomError

        try:
            return self.compile(value)
        except PydanticCustomError:
            raise
        except ValueError as error:
            raise PydanticCustomError(CUSTOM, "{message}", {"message": str(error)}) from None


def layout_key(name: str) -> str:
    """The key of an attribute; some keys are Python keywords and end in `_` here."""
    return name.rstrip("_")


@dataclass(frozen=True, kw_only=True)
class Part:
    """A table of the layout. Unknown keys in it are errors."""

    __pydantic_config__: ClassVar[Mapping[str, Any]] = {
        "extra": "forbid",
        "alias_generator": layout_key,
    }


# Plain values.

Text = Annotated[str, Strictly()]
Sign = Annotated[str, Strictly(min_length=1, max_length=1)]
Flag = Annotated[bool, Strictly()]
Whole = Annotated[int, Strictly(ge=1)]
Few = Annotated[int, Strictly(ge=1, le=9)]
Factor = Annotated[float, Strictly(gt=0)]


def as_tuple(value: Any) -> Any:
    """Accept one text or a list of texts."""
    if isinstance(value, str):
        return (value,)
    return tuple(value) if isinstance(value, list) else value


def as_tables(value: Any) -> Any:
    """Accept one table `[block]` or an array of tables `[[block]]`."""
    return (value,) if isinstance(value, Mapping) else as_tuple(value)


@dataclass(frozen=True, kw_only=True)
class ListFile(Part):
    """A list that is kept in a file of its own, one entry on each line. It is read before all
    else."""

    file: Text


Texts = Annotated[tuple[Text, ...], Accepts(str | list[str] | ListFile, as_tuple)]


class ColumnNumber(int):
    """A column counted from 0, but written counted from 1."""

    @classmethod
    def written(cls, number: int) -> ColumnNumber:
        """The written form of a column number."""
        return cls(number - 1)

    def __str__(self) -> str:
        """The written form."""
        return str(int(self) + 1)


ColumnPosition = Annotated[ColumnNumber, Compiled(Whole, ColumnNumber.written)]


def _starts(columns: tuple[int, ...]) -> tuple[ColumnNumber, ...]:
    if list(columns) != sorted(set(columns)) or columns[:1] != (1,):
        raise ValueError(
            "“columns” in [text] are the places where columns begin: 1 first, each further right"
        )
    return tuple(map(ColumnNumber.written, columns))


ColumnStarts = Annotated[
    tuple[ColumnNumber, ...],
    Compiled(Annotated[tuple[Whole, ...], Accepts(list[int], as_tuple)], _starts),
]
"""Where the columns of a text file begin: character positions in a line."""


def _position(number: int) -> int:
    if number == 0:
        raise ValueError("tabs are counted from 1, or from -1 at the end")
    return number


Position = Annotated[int, Compiled(Annotated[int, Strictly()], _position)]
CellAddress = Annotated[Address, Compiled(Text, lambda text: Address(*parse_address(text)))]


# Names and languages.


def _known_type(name: str) -> str:
    if not is_type(name):
        from pydantic_core import PydanticCustomError

        raise PydanticCustomError("field_type", "no such type")
    return name


class _TypeNames:
    """The names of types, as editors offer them."""

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        plain = [name for name in FIELD_TYPES if name != "decimal"]
        return {"anyOf": [{"enum": plain}, {"type": "string", "pattern": f"^{DECIMAL}$"}]}


FieldType = Annotated[str, Compiled(Text, _known_type), _TypeNames()]


def _known_languages(codes: tuple[str, ...]) -> tuple[str, ...]:
    from babel import Locale, UnknownLocaleError  # only needed where languages are named

    for code in codes:
        try:
            Locale.parse(code.replace("-", "_"))
        except (UnknownLocaleError, ValueError):
            # The name of a language is the most likely mistake, so its code is offered.
            by_name = {name.casefold(): key for key, name in Locale("en").languages.items()}
            meant = by_name.get(code.casefold())
            near = f"; did you mean “{meant}”?" if meant else "; write a code such as nb or en_GB"
            raise ValueError(f"no language “{code}”{near}") from None
    return codes


Languages = Annotated[tuple[str, ...], Compiled(Texts, _known_languages)]


# Patterns.


@dataclass(frozen=True)
class _Patterns:
    """Compiles texts to patterns of a kind."""

    kind: PatternKind
    fills: bool = True
    """Whether what they match may fill a field."""

    def __call__(self, texts: tuple[str, ...]) -> tuple[Pattern, ...]:
        """Raises PatternError."""
        patterns = tuple(pattern(text, self.kind) for text in texts)
        for compiled in patterns:
            if compiled.captures and not self.fills:
                raise PatternError(f"“{compiled.text}”: what is matched here cannot fill a field")
        return patterns


Patterns = tuple[Pattern, ...]
FilePatterns = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.FILE))]
TabPatterns = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.TAB))]
CellPatterns = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.CELL))]
CaptionPatterns = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.CAPTION))]
FilesLeftOut = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.FILE, fills=False))]
TabNames = Annotated[Patterns, Compiled(Texts, _Patterns(PatternKind.TAB, fills=False))]


def _keeping(text: str) -> Pattern:
    compiled = pattern(text, PatternKind.STAMP)
    if not compiled.captures:
        raise PatternError(f"the pattern “{text}” needs {{}} for the part to keep")
    return compiled


KeepingPattern = Annotated[Pattern, Compiled(Text, _keeping)]
"""A pattern whose `{}` is the part of a text that is kept."""
KeepingPatterns = Annotated[
    Patterns, Compiled(Texts, lambda texts: tuple(_keeping(text) for text in texts))
]


@dataclass(frozen=True)
class Labels:
    """Patterns of labels or headings, and whether a blank one matches as well."""

    patterns: Patterns = ()
    blank: bool = False

    def __bool__(self) -> bool:
        """Whether it can match anything."""
        return bool(self.patterns) or self.blank

    @property
    def texts(self) -> tuple[str, ...]:
        """The texts as written."""
        return (*map(str, self.patterns), *([""] if self.blank else []))


def _labels(texts: tuple[str, ...]) -> Labels:
    filled = tuple(text for text in texts if text)
    return Labels(_Patterns(PatternKind.CELL)(filled), len(filled) < len(texts))


LabelPatterns = Annotated[Labels, Compiled(Texts, _labels)]
