"""Two plans beside each other: the matching against a recursion that tries everything, and what is said of plans that differ."""

from __future__ import annotations

import json
import random
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import pytest
import zss
from typer.testing import CliRunner

from hardy_gauge.cli.main import app
from hardy_gauge.core.plans.comparison import compare_plans
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.tree_matching import Ordered, matched, ordered


@dataclass
class Node:
    label: str
    below: list[Node] = field(default_factory=list)


def drawn(draw: random.Random, size: int) -> Node:
    nodes = [Node(draw.choice("abc"))]
    for _ in range(size - 1):
        child = Node(draw.choice("abc"))
        draw.choice(nodes).below.append(child)
        nodes.append(child)
    return nodes[0]


def relabel(a: Node, b: Node) -> float:
    return 0.0 if a.label == b.label else 0.7


Frozen = tuple[str, tuple["Frozen", ...]]  # type: ignore[misc]


def frozen(node: Node) -> Frozen:
    return node.label, tuple(frozen(one) for one in node.below)


@cache
def tried(first: tuple[Frozen, ...], second: tuple[Frozen, ...]) -> float:
    """The definition itself: the last root of one of the forests goes, comes, or becomes the other."""
    if not first or not second:
        return float(sum(count(one) for one in first or second))
    (a, below_a), (b, below_b) = first[-1], second[-1]
    return min(
        tried((*first[:-1], *below_a), second) + 1,
        tried(first, (*second[:-1], *below_b)) + 1,
        tried(below_a, below_b) + tried(first[:-1], second[:-1]) + (0.0 if a == b else 0.7),
    )


def count(one: Frozen) -> int:
    return 1 + sum(count(child) for child in one[1])


def above(tree: Ordered[Node], x: int, y: int) -> bool:
    """Whether x lies above y."""
    return tree.leftmost[x] <= y < x


@pytest.mark.parametrize("seed", range(60))
def test_the_distance_is_the_least_and_the_pairs_make_it(seed: int) -> None:
    draw = random.Random(seed)
    roots = [drawn(draw, draw.randrange(1, 9)) for _ in range(2)]
    first, second = (ordered(root, lambda node: node.below) for root in roots)
    distance, pairs = matched(first, second, relabel)
    assert distance == pytest.approx(tried((frozen(roots[0]),), (frozen(roots[1]),)))
    made = sum(relabel(first.nodes[x], second.nodes[y]) if x is not None and y is not None else 1.0 for x, y in pairs)
    assert made == pytest.approx(distance)
    assert sorted(x for x, _ in pairs if x is not None) == list(range(len(first.nodes)))
    assert sorted(y for _, y in pairs if y is not None) == list(range(len(second.nodes)))
    kept = [(x, y) for x, y in pairs if x is not None and y is not None]
    for x, y in kept:
        for u, v in kept:
            assert (x < u) == (y < v) and above(first, x, u) == above(second, y, v), "order and ancestors are kept"


@pytest.mark.parametrize("seed", range(60, 120))
def test_the_distance_is_that_of_another_library(seed: int) -> None:
    """zss (T. Henderson's, after the same paper) on trees of up to 40 nodes, larger than what can be tried out."""
    draw = random.Random(seed)
    roots = [drawn(draw, draw.randrange(10, 41)) for _ in range(2)]
    distance, _ = matched(*(ordered(root, lambda node: node.below) for root in roots), relabel)
    theirs = zss.distance(
        *roots,
        get_children=lambda node: node.below,
        insert_cost=lambda _: 1.0,
        remove_cost=lambda _: 1.0,
        update_cost=relabel,
    )
    assert distance == pytest.approx(theirs)


def step(operation: str, table: str | None = None, *below: Step, rows: float = 10.0, index: str | None = None) -> Step:
    return Step(operation, f"{operation} {table or ''}".strip(), table, index, rows_expected=rows, steps=list(below))


BEFORE = Plan(
    step("sort", None, step("hash join", None, step("scan", "loan", rows=9000), step("scan", "patron"))),
    "test",
    cost=100.0,
)
AFTER = Plan(
    step("nested loop", None, step("scan", "patron"), step("index read", "loan", index="loan_patron", rows=12)),
    "test",
    cost=25.0,
)


def test_a_step_that_goes_one_that_is_done_otherwise_and_the_order_of_joins() -> None:
    found = compare_plans(BEFORE, AFTER)
    gone = [one.first.operation for one in found.steps if one.match == "only in the first" and one.first]
    assert "sort" in gone
    kept = {
        one.first.object for one in found.steps if one.first and one.second and one.first.object == one.second.object
    }
    assert kept & {"loan", "patron"}, "one of the two keeps its place; both cannot, for their order turned"
    assert found.joins == (["loan", "patron"], ["patron", "loan"]) and found.costs == (100.0, 25.0)
    assert "0.25× the cost of the first" in found.sentence


def test_the_same_plan_with_other_figures() -> None:
    assert compare_plans(BEFORE, BEFORE).sentence == "Both plans do the same, with figures that are alike."
    more = Plan(
        step("sort", None, step("hash join", None, step("scan", "loan", rows=90_000), step("scan", "patron"))),
        "test",
        cost=900.0,
    )
    found = compare_plans(BEFORE, more)
    assert found.distance == 0 and [one.changed for one in found.steps if one.changed] == [["rows_expected"]]
    assert [one.match for one in found.steps] == ["same", "same", "changed", "same"]


def test_by_the_command(tmp_path: Path) -> None:
    for name, kind in (("a", "Seq Scan"), ("b", "Index Scan")):
        node = {
            "Node Type": kind,
            "Relation Name": "loan",
            "Plan Rows": 10,
            "Total Cost": 5.0,
            "Startup Cost": 0.0,
            "Plan Width": 8,
        }
        (tmp_path / f"{name}.json").write_text(
            json.dumps([{"Plan": node | ({"Index Name": "loan_due"} if name == "b" else {})}])
        )
    runner = CliRunner()
    result = runner.invoke(app, ["plan", str(tmp_path / "a.json"), str(tmp_path / "b.json"), "--json"])
    (one,) = json.loads(result.output)["steps"]
    assert result.exit_code == 0 and one["match"] == "changed" and {"operation", "index"} <= set(one["changed"])
    text = runner.invoke(app, ["plan", str(tmp_path / "a.json"), str(tmp_path / "b.json")])
    assert "1 step changed" in text.output and "operation" in text.output
    wrong = runner.invoke(app, ["plan", str(tmp_path / "a.json"), str(tmp_path / "none.json"), "--json"])
    assert wrong.exit_code == 2 and json.loads(wrong.output)["field"] == "other"
