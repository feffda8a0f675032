"""Tabs whose words differ: the same form in several languages."""

from __future__ import annotations

from collections.abc import Hashable, Sequence, Set


def groups_of_like(words: Sequence[Set[Hashable]]) -> list[list[int]]:
    """The indices of some sets of words, in groups: each shares at least half of the smaller set
    with another one of its group.

    The largest group comes first; empty sets are in none.
    """
    numbers: dict[frozenset[Hashable], list[int]] = {}
    for number, texts in enumerate(words):
        if texts:
            numbers.setdefault(frozenset(texts), []).append(number)
    groups: list[list[frozenset[Hashable]]] = []
    for own in numbers:
        like = [group for group in groups if any(_share_half(own, known) for known in group)]
        groups = [group for group in groups if group not in like]
        groups.append([own, *(known for group in like for known in group)])
    numbered = [sorted(number for own in group for number in numbers[own]) for group in groups]
    return sorted(numbered, key=lambda group: (-len(group), group))


def _share_half(first: Set[Hashable], second: Set[Hashable]) -> bool:
    return 2 * len(first & second) >= min(len(first), len(second))
