"""Which tabs are chosen, by their names alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from boreotabula.layout.keys import Flag, Part, Position, TabNames, TabPatterns
from boreotabula.layout.patterns import first_match


@dataclass(frozen=True)
class TabName:
    """What is known of a tab when tabs are chosen."""

    name: str
    visible: bool = True
    blank: bool = False


@dataclass(frozen=True, kw_only=True)
class Tabs(Part):
    """Which tabs of a workbook are read: by patterns of names, by position, or every one."""

    named: TabPatterns = ()
    position: Position | None = None
    """Counted from 1, or from -1 at the end."""
    every: Flag = False
    where_found: Flag = False
    """Whether the chosen tabs are those on which the tables are found."""
    except_: TabNames = ()
    visible_only: Flag = False

    @property
    def by_itself(self) -> bool:
        """Whether the layout leaves the choice to the file: its only filled tab."""
        return not (self.named or self.position is not None or self.every or self.where_found)

    @property
    def needs_blanks(self) -> bool:
        """Whether it matters which tabs are blank."""
        return self.position is not None or self.by_itself

    @property
    def said(self) -> str:
        """The choice in words."""
        if self.named:
            return ", ".join(compiled.text for compiled in self.named)
        if self.position is not None:
            return f"tab {self.position}"
        if self.where_found:
            return "the tabs on which the table is found"
        return "every tab" if self.every else "the only filled tab"

    def choose(self, tabs: Sequence[TabName]) -> dict[str, dict[str, str]]:
        """The chosen tabs, in order, with what their names capture.

        Where tabs are chosen by their content, all candidates. Without a choice, all filled tabs:
        the caller checks that there is only one.
        """
        left = [tab for tab in tabs if not self.leaves_out(tab)]
        if self.named:
            matched = {tab_name.name: first_match(self.named, tab_name.name) for tab_name in left}
            return {name: texts for name, texts in matched.items() if texts is not None}
        if self.every or self.where_found:
            return {tab_name.name: {} for tab_name in left}
        filled = [tab_name.name for tab_name in left if not tab_name.blank]
        if self.position is None:
            return {name: {} for name in filled}
        index = self.position - 1 if self.position > 0 else len(filled) + self.position
        return {filled[index]: {}} if 0 <= index < len(filled) else {}

    def leaves_out(self, tab: TabName) -> bool:
        """Whether a tab is left out by name, or because it is hidden."""
        unseen = self.visible_only and not tab.visible
        return unseen or first_match(self.except_, tab.name) is not None
