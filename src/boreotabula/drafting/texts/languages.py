"""Tabs whose words differ: the same form in several languages."""

from __future__ import annotations

from collections.abc import Hashable, Sequence, Set


def groups_of_like(words: Sequence[Set[Hashable]]) -> list[list[int]]:
    """The numbers of some sets of words, in groups: the words of each are those of another one of
    its group, for half of the smaller at least. The largest group comes first; sets without any
    word are in none."""
    numbers: dict[frozenset[Hashable], list[int]] = {}
    for number, own in enumerate(words):
        if own:
            numbers.setdefault(frozenset(own), []).append(number)
    groups: list[list[frozenset[Hashable]]] = []
    for own_set in numbers:
        like = [group for group in groups if any(_share_half(own_set, one) for one in group)]
        groups = [group for group in groups if group not in like]
        groups.append([own_set, *(one for group in like for one in group)])
    found = [sorted(number for one in group for number in numbers[one]) for group in groups]
    return sorted(found, key=lambda group: (-len(group), group))


def _share_half(first: Set[Hashable], second: Set[Hashable]) -> bool:
    return 2 * len(first & second) >= min(len(first), len(second))
