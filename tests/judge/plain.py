"""The independent judge: plain Python over lists of dictionaries, three-valued (True, False, and None for unknown).

A world has two sides, `before` and `after` (`before` may be None). A side maps each device to

    {"tier": the label, "answered": whether `show interface` was answered,
     "records": [{"name", "mtu", "oper_status", "description", "in_errors", "unread": the lines unread in it}],
     "unread": [lines outside of any record, each with the name of the record before it]}

A condition is a nested tuple; `sql` writes it as people would, `holds` asks it. What is written here follows the
documentation of expectations, not the code that it checks.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

Record = dict[str, Any]
Side = dict[str, dict[str, Any]]
Condition = tuple[Any, ...]
UNKNOWN = object()
FIELDS = ("mtu", "oper_status", "description", "in_errors")
STATES = ("mtu", "oper_status", "description")
MOST = 1000


# conditions


def literal(value: Any) -> str:
    return f"'{value}'" if isinstance(value, str) else str(value)


def sql(one: Condition) -> str:
    match one:
        case ("and" | "or" as joint, left, right):
            return f"({sql(left)} {joint} {sql(right)})"
        case ("not", inner):
            return f"(not {sql(inner)})"
        case ("is null", name):
            return f"({name} is null)"
        case ("is not null", name):
            return f"({name} is not null)"
        case ("in", name, values):
            return f"({name} in ({', '.join(map(literal, values))}))"
        case ("coalesce", name, value, sign, other):
            return f"(coalesce({name}, {literal(value)}) {sign} {literal(other)})"
        case ("same", name, sign, other):
            return f"({name} {sign} {other})"
        case (name, sign, value):
            return f"({name} {sign} {literal(value)})"
    raise AssertionError(one)


def names(one: Condition) -> set[str]:
    match one:
        case ("and" | "or", left, right):
            return names(left) | names(right)
        case ("not", inner):
            return names(inner)
        case ("same", name, _, other):
            return {name, other}
        case ("is null" | "is not null" | "in" | "coalesce", name, *_):
            return {name}
        case (name, *_):
            return {name}
    raise AssertionError(one)


def negated(value: bool | None) -> bool | None:
    return None if value is None else not value


def both(left: bool | None, right: bool | None) -> bool | None:
    return False if left is False or right is False else (None if left is None or right is None else True)


def either(left: bool | None, right: bool | None) -> bool | None:
    return negated(both(negated(left), negated(right)))


def compared(left: Any, sign: str, right: Any) -> bool | None:
    if left in (None, UNKNOWN) or right in (None, UNKNOWN):
        return None
    return {"=": left == right, "<>": left != right, "<": left < right, ">": left > right, ">=": left >= right,
            "<=": left <= right}[sign]  # fmt: skip


def holds(one: Condition, view: dict[str, Any]) -> bool | None:
    """Whether a condition holds of what is known: `view` gives each name its value, None where there is none, and
    UNKNOWN where nobody knows."""
    match one:
        case ("and", left, right):
            return both(holds(left, view), holds(right, view))
        case ("or", left, right):
            return either(holds(left, view), holds(right, view))
        case ("not", inner):
            return negated(holds(inner, view))
        case ("is null", name):
            return None if view[name] is UNKNOWN else view[name] is None
        case ("is not null", name):
            return None if view[name] is UNKNOWN else view[name] is not None
        case ("in", name, values):
            return None if view[name] in (None, UNKNOWN) else view[name] in values
        case ("coalesce", name, value, sign, other):
            return None if view[name] is UNKNOWN else compared(value if view[name] is None else view[name], sign, other)
        case ("same", name, sign, other):
            return compared(view[name], sign, view[other])
        case (name, sign, value):
            return compared(view[name], sign, value)
    raise AssertionError(one)


# what is known of a record


def told(record: Record, field: str) -> Any:
    """The value of a field; a null may be no more than a line that nobody could read."""
    value = record[field]
    return UNKNOWN if value is None and record["unread"] else value


class World:
    def __init__(self, after: Side, before: Side | None) -> None:
        self.after, self.before = after, before

    def side(self, when: str) -> Side:
        return (self.after if when == "after" else self.before) or {}

    def label(self, device: str) -> str:
        return next((side[device]["tier"] for side in (self.after, self.before or {}) if device in side), "")

    def record(self, when: str, key: tuple[str, str]) -> Record | None:
        found = [one for one in self.side(when).get(key[0], {"records": []})["records"] if one["name"] == key[1]]
        return found[0] if found else None

    def keys(self, when: str) -> list[tuple[str, str]]:
        return [(device, one["name"]) for device, its in self.side(when).items() for one in its["records"]]

    def view(self, when: str, key: tuple[str, str]) -> dict[str, Any]:
        """All that a condition may ask of the record of one side."""
        record, before = self.record(when, key), self.record("before", key)
        assert record is not None
        found = {"device": key[0], "name": key[1], "label.tier": self.label(key[0])}
        found |= {field: told(record, field) for field in FIELDS}
        for field in FIELDS:
            if self.before is None:
                value = UNKNOWN
            elif before is None:
                value = UNKNOWN if self.gaps("before", key[0]) else None
            else:
                value = told(before, field)
            if field == "in_errors" and when == "after" and before is not None:
                now, then = record[field], before[field]
                value = 0 if now is not None and then is not None and now < then else value
            found[f"before.{field}"] = value
        return found

    def hidden(self, device: str) -> dict[str, Any]:
        """All that is known of a record that nobody saw."""
        found: dict[str, Any] = {f"{when}{field}": UNKNOWN for when in ("", "before.") for field in FIELDS}
        return found | {"device": device, "name": UNKNOWN, "label.tier": self.label(device)}

    # what lacks

    def devices(self) -> list[str]:
        return list(dict.fromkeys([*self.after, *(self.before or {})]))

    def gaps(self, when: str, device: str | None = None) -> list[tuple[str, list[str] | None]]:
        """Where a record of one side could be hidden: the device, and the unread lines (None: anything could be)."""
        if when == "before" and self.before is None:
            return []
        gaps: list[tuple[str, list[str] | None]] = []
        for name in self.devices():
            its = self.side(when).get(name)
            if device not in (None, name):
                continue
            if its is None or not its["answered"]:
                gaps.append((name, None))
            elif its["unread"]:
                gaps.append((name, [text for text, _ in its["unread"]]))
        return gaps

    def could_be_hidden(self, when: str, key: tuple[str, str]) -> bool:
        return any(
            lines is None or any(mentions(text, key[1]) for text in lines) for _, lines in self.gaps(when, key[0])
        )

    def lacking(self, where: Condition | None, when: str) -> list[tuple[str, list[str] | None]]:
        """The gaps that could hide a record of which a condition holds."""
        return [gap for gap in self.gaps(when) if where is None or holds(where, self.hidden(gap[0])) is not False]

    def seen(self, where: Condition | None) -> bool:
        """Whether any answer was there that could show a record of which the condition holds."""
        there = (device for device, its in self.after.items() if its["answered"])
        return any(where is None or holds(where, self.hidden(device)) is not False for device in there)


def mentions(text: str, name: str) -> bool:
    """Whether a line speaks of an interface of this name: by its number."""
    number = re.search(r"\d+$", name)
    assert number is not None
    return re.search(rf"(?<!\d){number[0]}(?!\d)", text) is not None


# the quantifiers


def concluded(failed: bool, unsure: bool, nothing: bool) -> str:
    return "fail" if failed else "unproven" if unsure or nothing else "pass"


def judged(world: World, one: dict[str, Any]) -> str:
    """The verdict on one expectation: {"quantifier", "where", "must", and what else it says}."""
    return {"every": every, "some": some, "none": none, "count": count, "exactly": exactly}[one["quantifier"]](
        world, one
    )


def looks_back(one: dict[str, Any]) -> bool:
    asked = [condition for condition in (one.get("where"), one.get("must")) if isinstance(condition, tuple)]
    return any(name.startswith("before.") for condition in asked for name in names(condition))


def gaps_of(world: World, one: dict[str, Any]) -> list[Any]:
    found = world.lacking(one["where"], "after")
    if looks_back(one) or (one["quantifier"] == "every" and not one.get("gone")):
        found += world.lacking(one["where"], "before")
    return found


def meant(world: World, condition: Condition | None, when: str, key: tuple[str, str]) -> bool | None:
    if world.record(when, key) is None:
        return False
    return True if condition is None else holds(condition, world.view(when, key))


def every(world: World, one: dict[str, Any]) -> str:
    failed = unsure = False
    found = 0
    for key in dict.fromkeys([*world.keys("after"), *world.keys("before")]):
        about = either(meant(world, one["where"], "after", key), meant(world, one["where"], "before", key))
        found += about is True
        if world.record("after", key) is not None:
            fine = either(negated(about), holds(one["must"], world.view("after", key)))
            failed, unsure = failed or fine is False, unsure or fine is None
        elif not one.get("gone") and about is not False:
            hidden = about is None or world.could_be_hidden("after", key)
            failed, unsure = failed or not hidden, unsure or hidden
    unsure = unsure or bool(gaps_of(world, one))
    return concluded(failed, unsure, not world.seen(one["where"]) or (not found and not one.get("may_be_empty")))


def met(world: World, one: dict[str, Any]) -> list[bool | None]:
    """Of each record there whether it matches and is as is said."""
    conditions = [one["where"], one.get("must")]
    found = []
    for key in world.keys("after"):
        values = [meant(world, condition, "after", key) for condition in conditions]
        found.append(both(*values))
    return found


def none(world: World, one: dict[str, Any]) -> str:
    found = met(world, one)
    return concluded(True in found, None in found or bool(gaps_of(world, one)), not world.seen(one["where"]))


def some(world: World, one: dict[str, Any]) -> str:
    found = met(world, one)
    if True in found:
        return "pass"
    return "unproven" if None in found or gaps_of(world, one) else "fail"


def count(world: World, one: dict[str, Any]) -> str:
    """`must` is (sign, number or "before.n"); `per` is None or "device"."""
    sign, wanted = one["must"]
    back = wanted == "before.n"
    if back and world.before is None:
        return "unproven"
    possible = [device for device in world.after if world_about(world, one["where"], device)]
    groups: list[str | None] = [None] if one["per"] is None else list(possible)
    if one["per"]:
        seen = (key[0] for when in ("after", "before") for key in world.keys(when))
        groups += [device for device in dict.fromkeys(seen) if device not in groups and counted(world, one, device)]
    failed = unsure = False
    gaps = world.lacking(one["where"], "after")
    before_gaps = world.lacking(one["where"], "before") if back else []
    if one["per"]:
        unsure = any(device not in groups for device, _ in [*gaps, *before_gaps])
    for group in groups:
        numbers = {when: tally(world, one["where"], when, group) for when in ("after", "before")}
        (n, open_), (then, open_then) = numbers["after"], numbers["before"]
        open_ += open_then if back else 0
        bound = then if back else wanted
        mine = [gap for gap in gaps if group in (None, gap[0])]
        mine_before = [gap for gap in before_gaps if group in (None, gap[0])]
        good = compared(n, sign, bound)
        certain = not mine_before and not (back and open_)
        certain = certain and not any(compared(more, sign, bound) for more in range(n, n + MOST))
        if (mine or mine_before or open_) and not (good is False and certain):
            unsure = True
        elif good is False:
            failed = True
    nothing = (not groups and not one.get("may_be_empty")) or not world.seen(one["where"])
    return concluded(failed, unsure, nothing)


def world_about(world: World, where: Condition | None, device: str) -> bool:
    """Whether a device could have a record of which a condition holds, by its name and its label alone."""
    return where is None or holds(where, world.hidden(device)) is not False


def counted(world: World, one: dict[str, Any], device: str) -> bool:
    return any(sum(tally(world, one["where"], when, device)) for when in ("after", "before"))


def tally(world: World, where: Condition | None, when: str, group: str | None) -> tuple[int, int]:
    """How many records match, and of how many that is unknown."""
    keys = [key for key in world.keys(when) if group in (None, key[0])]
    values = [meant(world, where, when, key) for key in keys]
    return values.count(True), values.count(None)


def exactly(world: World, one: dict[str, Any]) -> str:
    """`rows` are (device, name, mtu)."""
    failed, unsure = False, bool(gaps_of(world, one))
    seen = set()
    open_rows = []
    for key in world.keys("after"):
        about = meant(world, one["where"], "after", key)
        record = world.record("after", key)
        assert record is not None
        row = (*key, record["mtu"])
        if about is False:
            continue
        if row in one["rows"]:
            seen.add(row)
        elif about is None or record["mtu"] is None:
            unsure = True
            open_rows.append(row)
        else:
            failed = True
    for row in set(one["rows"]) - seen:
        gaps = world.lacking(one["where"], "after")
        hidden = any(
            device == row[0] and (lines is None or any(mentions(text, row[1]) for text in lines))
            for device, lines in gaps
        )
        perhaps = any(all(a in (None, b) for a, b in zip(other, row, strict=True)) for other in open_rows)
        failed, unsure = failed or not (hidden or perhaps), unsure or hidden or perhaps
    return concluded(failed, unsure, not world.seen(one["where"]))


# comparing and explaining

Difference = tuple[str, str, str, frozenset[str]]
"""The device, the name, what became of the record, and the fields that moved."""


def words(text: str) -> str:
    return re.sub(r"\b\d+\b", "#", text)


def changed_lines(world: World, device: str) -> dict[str, list[tuple[str | None, str, bool]]]:
    """The unread lines of each side of which the other has none with these words at this place: the record that it
    stands in, or behind, its text, and whether it stands in that record."""
    sides: dict[str, list[tuple[str | None, str, bool]]] = {}
    for when in ("before", "after"):
        its = world.side(when).get(device)
        lines: list[tuple[str | None, str, bool]] = []
        if its is not None and its["answered"]:
            lines += [(one["name"], text, True) for one in its["records"] for text in one["unread"]]
            lines += [(behind, text, False) for text, behind in its["unread"]]
        sides[when] = lines
    found: dict[str, list[tuple[str | None, str, bool]]] = {}
    for when, other in (("before", "after"), ("after", "before")):
        there = Counter((place, words(text), inside) for place, text, inside in sides[other])
        found[when] = []
        for place, text, inside in sides[when]:
            if there[place, words(text), inside]:
                there[place, words(text), inside] -= 1
            else:
                found[when].append((place, text, inside))
    return found


def differences(world: World) -> tuple[set[Difference], bool]:
    """All that certainly differs, and whether something could not be compared."""
    found: set[Difference] = set()
    blind = False
    for device in world.devices():
        sides = {when: world.side(when).get(device) for when in ("before", "after")}
        answered = {when: its is not None and its["answered"] for when, its in sides.items()}
        lines = changed_lines(world, device)
        blind = blind or not all(answered.values()) or any(lines.values())
        mine = [key for when in ("before", "after") for key in world.keys(when) if key[0] == device]
        for key in dict.fromkeys(mine):
            old, new = world.record("before", key), world.record("after", key)
            if old is not None and new is not None:
                found |= of_record(key, old, new, lines)
                continue
            silent = "after" if new is None else "before"
            outside = [text for _, text, inside in lines[silent] if not inside]
            if answered[silent] and not any(mentions(text, key[1]) for text in outside):
                found.add((*key, "gone" if new is None else "new", frozenset()))
    return found, blind


def of_record(key: tuple[str, str], old: Record, new: Record, lines: dict[str, Any]) -> set[Difference]:
    """What differs in a record that is on both sides; what one side does not tell may be in a line nobody could read."""
    doubted = [
        {field for field in FIELDS if record[field] is None}
        if any(place == key[1] and inside for place, _, inside in lines[when])
        else set()
        for when, record in (("before", old), ("after", new))
    ]
    hidden = doubted[0] | doubted[1]
    moved = {field for field in STATES if old[field] != new[field]}
    moved |= {"in_errors"} if (old["in_errors"] is None) != (new["in_errors"] is None) else set()
    began = None not in (old["in_errors"], new["in_errors"]) and new["in_errors"] < old["in_errors"]
    found: set[Difference] = set()
    if moved - hidden:
        found.add((*key, "moved", frozenset(moved - hidden)))
    if began:
        found.add((*key, "restarted", frozenset({"in_errors"})))
    return found


def unexplained(world: World, entries: list[dict[str, Any]]) -> set[Difference]:
    """The differences that no entry accounts for: {"what": set, "fields": set or None, "where"}."""
    left = set()
    for one in differences(world)[0]:
        device, name, what, fields = one
        for entry in entries:
            fits = what in entry["what"] and (what != "moved" or entry["fields"] is None or fields <= entry["fields"])
            sides = [when for when in ("after", "before") if world.record(when, (device, name)) is not None]
            if fits and any(meant(world, entry["where"], when, (device, name)) is True for when in sides):
                break
        else:
            left.add(one)
    return left
