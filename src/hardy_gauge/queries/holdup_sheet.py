"""Who held whom up in a scope over a window: trees of waiting, what they cost, and one of them as lanes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.activity.holdup_sheet import (
    Circle,
    Holdups,
    LaneRow,
    Lanes,
    LaneStatement,
    LaneStretch,
    Lost,
    TreeRow,
)
from hardy_gauge.core.activity.waiting_time import lost_over_time
from hardy_gauge.core.activity.waiting_trees import (
    COLUMNS,
    WaitingTree,
    Waits,
    circles_of,
    goes_on,
    lanes_of,
    trees_of,
    waits_of,
)
from hardy_gauge.core.narrative.comparison import compared
from hardy_gauge.core.narrative.waiting import holdups_sentence, lane_words, tree_words
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.sql.message_shape import DEADLOCK
from hardy_gauge.core.sql.written_table import written_table
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.log_messages import messages_in
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.reference import ReferenceSpans, reference_spans
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.queries.waited import waited_by_server
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

SHOWN, MOST_NAMES, MOST_CIRCLES = 40, 12, 20
NOT_KNOWN = "not known"


@dataclass(frozen=True)
class Asked:
    """What is left of the trees: of one of the services, users or objects, where some are asked for; the ``tree`` shown as lanes."""

    services: Sequence[str] = ()
    users: Sequence[str] = ()
    objects: Sequence[str] = ()
    tree: str = ""

    def __bool__(self) -> bool:
        return bool(self.services or self.users or self.objects)

    def holds(self, tree: WaitingTree, object_: str) -> bool:
        return (
            (not self.services or not tree.services.isdisjoint(self.services))
            and (not self.users or not tree.users.isdisjoint(self.users))
            and (not self.objects or object_ in self.objects)
        )


Found = tuple[Server, Waits, WaitingTree, str]


def holdup_sheet(reader: Reader, window: Window, scope: str, asked: Asked) -> Holdups:
    """InvalidInput where a tree is asked for by a key that is none."""
    servers = servers_in(reader, scope)
    looked = sampled(reader, servers, window.focus)
    seconds = {i: sum(span.seconds for span in spans) for i, spans in looked.items()}
    waits = _waits(reader, servers, window)
    texts = _Texts(reader)
    trees = [
        (server, one, tree, texts.object_of(tree)) for server, one in waits for tree in trees_of(one)
    ]  # fmt: skip
    left = sorted((one for one in trees if asked.holds(one[2], one[3])), key=lambda one: -one[2].waited_s)
    waited_s = sum(one.all_s for _, one in waits) if not asked else sum(tree.waited_s for _, _, tree, _ in left)
    longest = max(seconds.values(), default=0.0)
    reference, note = _reference(reader, servers, window) if not asked else (None, "")
    rate = sum(one.all_s / seconds[server.id] for server, one in waits if seconds.get(server.id))
    if asked:
        rate = sum(tree.waited_s / seconds[server.id] for server, _, tree, _ in left if seconds.get(server.id))
    rows = [_row(one, texts, waited_s, reader.clock()) for one in left[:SHOWN]]
    difference = compared(rate, reference, window.reference.name)
    return Holdups(
        sentence=holdups_sentence(scope, rows, len(left), waited_s, longest, difference, bool(asked)),
        reference_note=note, focus=window.focus.iso(), seconds=longest, waited_s=waited_s, waiting=rate, reference=reference,
        difference=difference, found=len(left), trees=rows, lanes=_lanes(asked.tree, left, texts),
        objects=_lost(((o, t.waited_s) for _, _, t, o in left), waited_s),
        events=_lost(((event or NOT_KNOWN, s) for _, _, t, _ in left for _, event, s in t.lost_on), waited_s),
        over_time=lost_over_time([(one, tree) for _, one, tree, _ in left], window.focus), deadlocks=messages_in(reader, servers, window.focus, holding=DEADLOCK),
        circles=_circles(waits),
        services=_names(tree.services for _, _, tree, _ in trees), users=_names(tree.users for _, _, tree, _ in trees),
        unknown=_unknown(servers, seconds, [server.name for server, one in waits if "one_in" in one.samples.columns]),
    )  # fmt: skip


def _waits(reader: Reader, servers: Sequence[Server], window: Window) -> list[tuple[Server, Waits]]:
    """Of each server on which somebody waited for another session."""
    focus = window.focus
    waited = waited_by_server(reader, servers, focus)
    held = [server for server in servers if server.id in waited]
    samples = read_samples(reader, held, focus, COLUMNS)
    with reader.store.read() as session:
        holders = segments.read(session, [s.id for s in held], "holder", focus.since_us, focus.until_us)
    named = {server.id: server for server in servers}
    found = []
    for (server_id,), mine in samples.partition_by("server_id", as_dict=True).items() if len(samples) else ():
        of_it = holders.filter(pl.col("server_id") == server_id) if len(holders) else holders
        one = waits_of(mine, of_it)
        if one is not None:
            found.append((named[int(server_id)], one))
    return found


def _reference(reader: Reader, servers: Sequence[Server], window: Window) -> tuple[Typical | None, str]:
    """Sessions that waited for others in the reference, on average, and what that is."""
    spans: ReferenceSpans = reference_spans(reader, servers, window, "samples")

    def typical() -> Typical | None:
        rows = [
            ("", server_id, number, seconds)
            for number, span in enumerate(spans.spans)
            for server_id, seconds in waited_by_server(reader, spans.servers, span).items()
        ]
        return spans.rate(spans.grids(rows).get(""))

    if not window.following:
        return typical(), spans.note()
    key = ("waited typically", window.reference, tuple(server.id for server in spans.servers), window.focus.seconds)
    return reader.kept_as(key, spans.window.focus, typical), spans.note()


class _Texts:
    """Statements by id, and the tables that they write."""

    def __init__(self, reader: Reader) -> None:
        self._known = texts_of(reader)

    def of(self, statement: int | None) -> tuple[str, str]:
        """Fingerprint and text; both empty of none known."""
        found = self._known.get(-1 if statement is None else statement)
        return (found.fingerprint, found.text) if found else ("", "")

    def object_of(self, tree: WaitingTree) -> str:
        """What the tree's sessions waited for as the engine says; else the table that those write who waited longest."""
        if tree.object:
            return tree.object
        for statement, _, _ in tree.lost_on:
            table = written_table(self.of(statement)[1])
            if table:
                return table
        return NOT_KNOWN


def _key(server: Server, tree: WaitingTree) -> str:
    return f"{tree.root}.{tree.from_us}.{server.name}"


def _row(found: Found, texts: _Texts, waited_s: float, now_us: int) -> TreeRow:
    server, _, tree, object_ = found
    fingerprint, text = texts.of(tree.statement)
    waiting = texts.of(tree.lost_on[0][0])
    return TreeRow(
        key=_key(server, tree), server=server.name, session=tree.root, from_us=tree.from_us, until_us=tree.until_us, doing=tree.doing,
        words=tree_words(tree), user=tree.user, service=tree.service, fingerprint=fingerprint, text=text, waited_s=tree.waited_s,
        share=tree.waited_s / max(waited_s, 1e-9), most=tree.most, depth=tree.depth, waiters=tree.waiters, object=object_,
        wait_event=tree.lost_on[0][1] or NOT_KNOWN, waiting_fingerprint=waiting[0], waiting_text=waiting[1], goes_on=goes_on(tree, now_us),
    )  # fmt: skip


def _lanes(key: str, found: Sequence[Found], texts: _Texts) -> Lanes | None:
    """Of the tree asked for, or of the first; None where there is none."""
    chosen = next((one for one in found if _key(one[0], one[2]) == key), None)
    if chosen is None:
        if key and len(key.split(".", 2)) != 3:
            detail = f"tree: {key!r} is no key of a tree of waiting; take one of those in the answer"
            raise InvalidInput(detail, "tree", "Unknown tree")
        if not found:
            return None
        chosen = found[0]
    server, waits, tree, _ = chosen
    lanes = lanes_of(waits, tree)
    numbers: dict[int, int] = {}
    rows = []
    for lane in lanes:
        stretches = [
            LaneStretch(
                s.from_us, s.until_us, s.doing,
                None if s.statement is None else numbers.setdefault(s.statement, len(numbers)), s.blockers,
            )
            for s in lane.stretches
        ]  # fmt: skip
        rows.append(
            LaneRow(lane.session, lane.depth, lane.user, lane.service, lane.waited_s, lane_words(lane), stretches)
        )
    statements = [LaneStatement(*texts.of(statement)) for statement in numbers]
    return Lanes(_key(server, tree), rows, statements, tree.waiters + 1 - len(rows))


def _lost(parts: Iterable[tuple[str, float]], whole: float) -> list[Lost]:
    """Summed by name, the most first; at most twelve."""
    summed: dict[str, float] = {}
    for name, seconds in parts:
        summed[name] = summed.get(name, 0.0) + seconds
    ranked = sorted(summed.items(), key=lambda one: (-one[1], one[0]))
    return [Lost(name, seconds, seconds / max(whole, 1e-9)) for name, seconds in ranked[:MOST_NAMES]]


def _names(groups: Iterable[frozenset[str]]) -> list[str]:
    return sorted({name for group in groups for name in group if name})


def _unknown(servers: Sequence[Server], seconds: Mapping[int, float], sampled_in_part: Sequence[str]) -> list[str]:
    """What could not be looked at: servers that do not tell, that were not looked at, or of whose sessions only some are followed."""
    told = [f"{one.name} does not report its sessions" for one in servers if "sessions" not in one.abilities]
    told += [
        f"{one.name} was not looked at in this window"
        for one in servers
        if "sessions" in one.abilities and not seconds.get(one.id)
    ]
    return told + [
        f"of {name} only one session in several is followed, so who holds others may not be seen"
        for name in sampled_in_part
    ]


def _circles(waits: Sequence[tuple[Server, Waits]]) -> list[Circle]:
    """The last ones seen, the last first; a circle that was seen at several looks once, when it was first seen."""
    found: Mapping[tuple[str, frozenset[int]], Circle] = {
        (server.name, frozenset(sessions)): Circle(server.name, at, sessions)
        for server, one in waits
        for at, sessions in reversed(circles_of(one.edges))
    }
    return sorted(found.values(), key=lambda one: -one.at_us)[:MOST_CIRCLES]
