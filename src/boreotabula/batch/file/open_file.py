"""The choice of a file's tabs, and the findings about it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from boreotabula.batch.file.findings import (
    all_left_out,
    beside_position,
    captured_twice,
    name_ambiguous,
    no_tab,
    not_one_tab,
    open_quote,
)
from boreotabula.batch.inputs import SourceFile
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.files import (
    CHOSEN_TABS_BLANK,
    NAME_UNMATCHED,
    READ_AS,
    TAB_NOT_CHOSEN,
    TAB_UNREADABLE,
    TABLE_NOT_THERE,
    WORKBOOK_BLANK,
)
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.patterns import first_match
from boreotabula.layout.tabs import TabName, Tabs
from boreotabula.limits import Limits
from boreotabula.reading.blocks import TabSource, settle_blocks
from boreotabula.reading.corrections import corrected
from boreotabula.reading.locate.places import holds_search_text
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.reading.stamps.captures import Capture, capture
from boreotabula.reading.stamps.read import convert_stamp
from boreotabula.reading.stamps.sources import NamedValue, Surroundings
from boreotabula.reading.tab import TabReading, read_tab
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Sheet, Visibility
from boreotabula.sheets.text import TextForm
from boreotabula.unreadable import UnreadableError

_FEWEST_SHARED = 4
"""A tab must have at least this many headings, half of them shared, to look like another one."""


@dataclass(frozen=True)
class Job:
    """The work on every file. Picklable."""

    plan: Plan
    tabs: Tabs
    blocks: Mapping[str, Tabs]
    """The choice of each block that makes its own."""
    opening: Opening

    @property
    def shared(self) -> bool:
        """Whether anything is read from the tabs that [tabs] chooses, and not only by blocks' own
        choices."""
        forms = self.plan.forms
        # A form without blocks has only stamps, and these are read from the tabs that [tabs]
        # chooses.
        return any(not form.blocks or any(b.tabs is None for b in form.blocks) for form in forms)

    @property
    def patterns(self) -> list[str]:
        """All tab patterns of the layout."""
        choices = [*([self.tabs] if self.shared else []), *self.blocks.values()]
        return list(dict.fromkeys(pattern.text for choice in choices for pattern in choice.named))


def make_job(spec: LayoutSpec, plan: Plan, limits: Limits | None = None) -> Job:
    """The job of a checked layout."""
    blocks = {
        block.key: block.tabs
        for form in plan.forms
        for block in form.blocks
        if block.tabs is not None
    }
    text = TextForm(spec.text.delimiter, spec.text.encoding, spec.text.quote, spec.text.columns)
    # Built here once, as what is sent to another process is small and plain.
    return Job(plan, spec.tabs or Tabs(), blocks, Opening(text, limits or Limits()))


@dataclass
class Chosen:
    """A tab that is read: the captures from its name, and the blocks that chose it themselves."""

    captured: Mapping[str, str] = field(default_factory=dict)
    shared: bool = False
    blocks: dict[str, Mapping[str, str]] = field(default_factory=dict)

    @property
    def block_captures(self) -> dict[str, str]:
        """The captures of the patterns of all blocks."""
        return {name: text for block in self.blocks.values() for name, text in block.items()}


class OpenFile:
    """An open file and the work on it: its tabs, chosen and read one by one."""

    def __init__(self, book: Workbook, source: SourceFile, job: Job) -> None:
        self.book, self.source, self.job = book, source, job
        self.sheets: dict[str, Sheet] = {}
        self.broken: dict[str, UnreadableError] = {}
        self.findings: list[Finding] = [
            *(READ_AS(how=doubt) for doubt in book.doubts),
            *map(open_quote, book.quotes),
        ]
        if source.unmatched:
            self.findings.append(NAME_UNMATCHED(name=source.name))

    def read_tab(self, sheet: Sheet, how: Chosen, around: Surroundings) -> TabReading:
        """One tab, read as it was chosen."""
        return read_tab(sheet, self.job.plan, self.tab_source(sheet, how, around))

    def tab_source(self, sheet: Sheet, how: Chosen, around: Surroundings) -> TabSource:
        """What is known of a tab apart from its cells."""
        texts = {**around.texts, "tab name": sheet.name}
        captured = {**self.source.captured, **how.captured}
        # A tab that only a block chose is read for that block alone.
        blocks = how.blocks if how.shared or how.blocks else {}
        return TabSource(
            self.source.name,
            replace(around, captured=captured, from_tab=tuple(how.captured), texts=texts),
            blocks,
            shared=how.shared,
        )

    def sheet(self, name: str) -> Sheet | None:
        """The cells of a tab; None, with a finding, if it cannot be read."""
        # A tab that could not be read is not tried again: it would be told twice.
        if name not in self.sheets and name not in self.broken:
            try:
                sheet, findings = self.corrected(self.book.sheet(name))
                self.sheets[name] = sheet
                self.findings += findings
            except UnreadableError as error:
                self.broken[name] = error
                self.say(TAB_UNREADABLE(why=error, way_out=error.advice), name)
        return self.sheets.get(name)

    def corrected(self, sheet: Sheet) -> tuple[Sheet, tuple[Finding, ...]]:
        """A tab with the corrections of the layout, and the findings about them."""
        return corrected(sheet, self.source.name, self.job.plan.corrections)

    def nothing_on(self, chosen: Collection[str]) -> Finding:
        """A finding: the chosen tabs are empty; the others are named if they are filled."""
        other_texts = [tab.name for tab in self.book.tabs if tab.name not in chosen]
        # All others are opened for this, but only in a file that gives nothing otherwise.
        filled = [name for name in other_texts if (sheet := self.sheet(name)) and not sheet.blank]
        if not filled:
            return WORKBOOK_BLANK()
        return CHOSEN_TABS_BLANK(chosen=list(chosen), filled=filled)

    def say(self, finding: Finding, tab: str = "") -> None:
        """Note a finding about a tab, or without a tab about the file."""
        self.findings.append(replace(finding, tab=tab))

    # --- choosing -------------------------------------------------------------------------------

    def choose(self) -> dict[str, Chosen]:
        """The tabs that are read, in order, by [tabs] and by blocks with their own."""
        job = self.job
        choices = [*([job.tabs] if job.shared else []), *job.blocks.values()]
        names = self._tab_names(blanks=any(choice.needs_blanks for choice in choices))
        result: dict[str, Chosen] = {}
        every = [block for form in job.plan.forms for block in form.blocks]
        if job.shared:
            # Blocks that choose their own tabs must not be looked for on the shared ones.
            own = [block for block in every if block.tabs is None]
            for name, captured in self._choose_by(job.tabs, names, own, quiet=False).items():
                result[name] = Chosen(captured, shared=True)
        for key, choice in job.blocks.items():
            own = [block for block in every if block.key == key]
            # Quiet: what no block's choice matches may be another block's, which is told below
            # for all.
            for name, captured in self._choose_by(choice, names, own, quiet=True).items():
                result.setdefault(name, Chosen()).blocks[key] = captured
        if job.blocks and not result:
            self.say(no_tab(job.patterns or ["the tabs of the blocks"], self.book))
        # In the order of the file, whatever the order of the choices.
        return {tab.name: result[tab.name] for tab in self.book.tabs if tab.name in result}

    def _tab_names(self, *, blanks: bool) -> list[TabName]:
        return [
            TabName(
                tab.name,
                tab.visibility is Visibility.VISIBLE,
                # Only opened if the choice depends on it: knowing whether a tab is blank means
                # reading it.
                blanks and (sheet := self.sheet(tab.name)) is not None and sheet.blank,
            )
            for tab in self.book.tabs
        ]

    def _choose_by(
        self,
        choice: Tabs,
        names: Sequence[TabName],
        blocks: Sequence[BlockPlan],
        *,
        quiet: bool,
    ) -> dict[str, dict[str, str]]:
        if [name.name for name in names] == [""]:
            return {"": {}}  # a text file has one tab, and no names to choose by
        chosen = choice.choose(names)
        if choice.where_found:
            # A tab with some of the texts is read, too: what is missing there must be told.
            possible = list(chosen)
            # The texts of its blocks are looked for, not its name.
            chosen = {name: {} for name in possible if self._holds_any(name, blocks)}
            # One with none of them may be the table under other headings.
            for name in self._like_those_found(possible, chosen):
                self.say(TABLE_NOT_THERE(), name)
        if choice.by_itself and len(chosen) != 1:
            # By itself means exactly one: with two it is not known which is meant.
            if not quiet:
                self.say(not_one_tab(list(chosen)))
            return {}
        if not chosen and not quiet and not self.job.blocks:
            # Two messages, since the answer differs: fill the form, or change the pattern.
            blank = all(name.blank for name in names) and choice.needs_blanks
            if all(choice.leaves_out(name) for name in names):
                self.say(all_left_out(self.book))
            else:
                self.say(not_one_tab([]) if blank else no_tab([choice.said], self.book))
        return self._captured(choice, chosen)

    def _captured(self, choice: Tabs, chosen: Collection[str]) -> dict[str, dict[str, str]]:
        """The captures from the names of the chosen tabs; adds findings about doubtful ones."""
        texts: dict[str, dict[str, str]] = {name: {} for name in chosen}
        unclear: dict[str, list[tuple[str, Capture]]] = {}
        for name in chosen:
            kept = capture(choice.named, name, self.job.plan)
            if kept is not None:
                texts[name] = kept.texts
                if kept.other is not None:
                    unclear.setdefault(kept.pattern.text, []).append((name, kept))
        # Told once for each pattern with the first name, as all tabs named alike have the same
        # doubt.
        for pattern, group in unclear.items():
            name, kept = group[0]
            self.say(name_ambiguous(pattern, name, kept.texts, kept.other or {}, len(group)), name)
        for first, second in _same_captures(self.job.plan, texts):
            self.say(captured_twice(first, second, texts[first]), second)
        return texts

    def _holds_any(self, name: str, blocks: Sequence[BlockPlan]) -> bool:
        """Whether a tab holds any text by which one of the blocks is found."""
        sheet = self.sheet(name)
        return sheet is not None and any(
            # A block that is read turned has its headings in a column.
            holds_search_text(sheet.turn() if block.turned else sheet, block)
            for block in blocks
        )

    def _like_those_found(self, possible: Sequence[str], texts: Collection[str]) -> Iterator[str]:
        """The tabs without any of the texts whose headings are mostly those of a tab that has
        one."""
        # Imported for such tabs alone: most files have only tabs that are chosen by name.
        from boreotabula.look.frame import frame_of

        words = {
            name: {text for *_, text in frame_of(sheet).headings}
            for name in possible
            if (sheet := self.sheet(name)) is not None and not sheet.blank
        }
        for name in words:
            if name in texts:
                continue
            shared = [len(words[name] & words[text]) for text in texts if text in words]
            # Half of the headings, and at least a few: single words such as “Total” stand on any
            # tab.
            if 2 * max(shared, default=0) >= max(len(words[name]), _FEWEST_SHARED):
                yield name

    def used_patterns(self, chosen: Mapping[str, Chosen]) -> Iterator[str]:
        """The tab patterns that matched a chosen tab."""
        for choice in (self.job.tabs, *self.job.blocks.values()):
            for pattern in choice.named:
                if any(pattern.match(name) is not None for name in chosen):
                    yield pattern.text

    def others(self, chosen: Mapping[str, Chosen]) -> Iterator[tuple[str, str]]:
        """Why tabs were not read; adds a warning for those that look like the form."""
        # Gathered first: with a choice by position they are told as one finding.
        alike: list[str] = []
        for tab in self.book.tabs:
            if tab.name in chosen:
                if tab.name in self.broken:
                    yield tab.name, f"not readable: {self.broken[tab.name]}"
                continue
            if any(pattern.match(tab.name) is not None for pattern in self.job.tabs.except_):
                yield tab.name, "left out by [tabs] except"
                # Left out by name is what the layout says; nothing about it is worth a warning.
                continue
            yield tab.name, "not chosen by [tabs]"
            sheet = self.sheet(tab.name)
            # A tab is only worth a warning if the file holds the form at all.
            if sheet is not None and chosen and not sheet.blank and self.looks_like_form(sheet):
                alike.append(tab.name)
            # Not needed any more, and the largest thing in memory.
            self.sheets.pop(tab.name, None)
        if self.job.tabs.position is None:
            for name in alike:
                self.say(TAB_NOT_CHOSEN(choice=self.job.tabs.said), name)
        elif alike:
            self.say(beside_position(self.job.tabs.said, alike))

    def looks_like_form(self, sheet: Sheet) -> bool:
        """Whether a block that is found by headings has all of those of its stub on a tab; a list
        without a stub most of those of its fields."""
        source = TabSource(blocks={key: {} for key in self.job.blocks})
        return any(
            len(block.place.stub) == len(block.block.stub)
            and 2 * len(block.place.marks) > len(block.block.marks)
            # By its place a block is found on any tab, so that says nothing.
            and block.block.searched
            for form in self.job.plan.forms
            for view in settle_blocks(sheet, self.job.plan, form, source)
            for block in view.blocks
        )

    # --- what is known besides the cells ---------------------------------------------------------

    def surroundings(self) -> Surroundings:
        """What is known of all tabs besides their cells."""
        # The stem, since “.xlsx” is no part of what people put into names.
        texts = {
            "file name": PurePosixPath(self.source.name).stem,
            "folder name": self.source.folder,
        }
        wanted = {
            stamp.name.casefold()
            for form in self.job.plan.forms
            for stamp in form.sources
            if stamp.name is not None
        }
        named: dict[str, NamedValue] = {}
        # Only asked for if the layout uses defined names: reading them takes time.
        for name, place in self.book.names().items() if wanted else ():
            tabs = [tab.name for tab in self.book.tabs if tab.name == place.tab]
            sheet = self.sheet(tabs[0]) if name.casefold() in wanted and tabs else None
            if sheet is not None:
                # Its value is taken now, as its tab may be another one than those that are read.
                cell = sheet.cell(place.row, place.column)
                named[name.casefold()] = NamedValue(place.tab, place.row, place.column, cell)
        other_groups = [source.tab for form in self.job.plan.forms for source in form.sources]
        covers = {
            tab.name: sheet
            for tab in self.book.tabs
            if any(first_match(patterns, tab.name) is not None for patterns in other_groups)
            and (sheet := self.sheet(tab.name)) is not None
        }
        return Surroundings(texts=texts, names=named, tabs=covers)


def _same_captures(
    plan: Plan, chosen: Mapping[str, Mapping[str, str]]
) -> Iterator[tuple[str, str]]:
    """Pairs of tabs whose names mean the same, so that their records cannot be told apart."""
    first: dict[frozenset[tuple[str, object]], str] = {}
    for name, captured in chosen.items():
        if captured:
            # Compared by what they mean: “Jan” and “January” are one month.
            meant = {field: convert_stamp(plan, field, text)[0] for field, text in captured.items()}
            same = {
                # What could not be converted counts by its text.
                field: captured[field] if value is None else value
                for field, value in meant.items()
            }
            before = first.setdefault(frozenset(same.items()), name)
            if before != name:
                yield before, name
