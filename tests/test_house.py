"""The house in order, checked by machine: short files and functions, no import in a circle."""

import ast
from pathlib import Path

import grimp
import numpy as np
import pytest
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

ROOT = Path(__file__).parent.parent
ROOMS = ("silhueta", "tests", "tools", "benchmarks", "fuzz")
MOST_LINES, MOST_OF_A_FUNCTION = 450, 80


def files():
    return [file for room in ROOMS for file in sorted((ROOT / room).rglob("*.py"))]


def own_lines(function: ast.FunctionDef) -> int:
    """Return the lines of a function without its docstring, which says what it takes."""
    first = function.body[0]
    told = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
    doc = first.end_lineno - first.lineno + 1 if told else 0
    return function.end_lineno - function.lineno + 1 - doc


def too_long(text: str, name: str) -> list[str]:
    """Return what of a file is too long."""
    found = [name] if text.count("\n") > MOST_LINES else []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef) and own_lines(node) > MOST_OF_A_FUNCTION:
            found.append(f"{name}: {node.name}")
    return found


def test_no_file_and_no_function_is_too_long():
    found = [one for file in files() for one in too_long(file.read_text(), str(file))]
    assert found == []
    assert too_long("x = 1\n" * 451, "long") == ["long"]
    assert too_long("def f():\n" + "    x = 1\n" * 80, "deep") == ["deep: f"]


def circles(edges: list[tuple[str, str]]) -> list[list[str]]:
    """Return the groups of modules that import each other, directly or over others."""
    names = sorted({name for edge in edges for name in edge})
    number = {name: k for k, name in enumerate(names)}
    rows, columns = np.array([[number[a], number[b]] for a, b in edges]).T
    graph = csr_matrix((np.ones(len(rows)), (rows, columns)), shape=(len(names),) * 2)
    _, of = connected_components(graph, connection="strong")
    groups = [[name for name in names if of[number[name]] == k] for k in range(of.max() + 1)]
    return [group for group in groups if len(group) > 1]


def test_no_module_imports_itself_over_others_not_even_late():
    graph = grimp.build_graph("silhueta", exclude_type_checking_imports=True)
    edges = [
        (name, other)
        for name in graph.modules
        for other in graph.find_modules_directly_imported_by(name)
    ]
    assert len(edges) > 500
    assert circles(edges) == []
    assert circles([("a", "b"), ("b", "c"), ("c", "a"), ("c", "d")]) == [["a", "b", "c"]]


@pytest.mark.parametrize("file", ["README.md", "ARCHITECTURE.md", "docs/guide.md"])
def test_what_documents_point_at_is_there(file):
    text = (ROOT / file).read_text()
    links = [part.split(")")[0] for part in text.split("](")[1:]]
    local = [link.split("#")[0] for link in links if "://" not in link and link[:1] != "#"]
    missing = [link for link in local if not ((ROOT / file).parent / link).exists()]
    assert missing == []
