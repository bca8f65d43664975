"""Formula channels: expressions over a run's channels, parsed into a tree and never executed as code."""
import ast
import math
import operator
import re

from ..sheet.arrangement import Formula

BINARY = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
    ast.Pow: operator.pow
}
UNARY = {ast.UAdd: operator.pos, ast.USub: operator.neg}
FUNCTIONS = {
    "abs": abs, "sqrt": math.sqrt, "min": min, "max": max, "sin": math.sin, "cos": math.cos, "tan": math.tan,
    "exp": math.exp, "log": math.log, "atan2": math.atan2, "about_mean": None
}
CONSTANTS = {"pi": math.pi}
MOST_NODES = 200
SPELLINGS = {"−": "-", "×": "*", "·": "*", "÷": "/", "^": "**", "²": "**2"}
# What pages call a channel, in quotation marks.
LABEL = re.compile(r'"([^"]*)"|“([^”]*)”')


class FormulaError(ValueError):
    """A formula that cannot be a channel; the message names it, says why and what to do."""


class Channels:
    """Formula channels in the order in which they can be computed.

    Parameters
    ----------
    formulas : sequence of sheet Formula
    base : sequence of str
        Channels that the run records by itself.

    Raises
    ------
    FormulaError
    """
    def __init__(self, formulas, base):
        self.base = list(base)
        trees = {}
        for formula in formulas:
            _check_name(formula.name, self.base, trees)
            trees[formula.name] = _parse(formula)
        known = {*self.base, *trees, *CONSTANTS}
        for name, tree in trees.items():
            for used in _names(tree):
                if used not in known:
                    raise FormulaError(
                        f"instruments.formulas: “{name}” uses “{used}”, which is not a channel. There are: "
                        f"{', '.join(sorted(known))}."
                    )
        self.order = _ordered(trees)
        self.trees = trees
        self._averaged = {
            node.args[0].id
            for tree in trees.values()
            for node in ast.walk(tree) if _is_about_mean(node)
        }
        self.restart_means()
        for name in self.order:
            if not _names(trees[name]) - set(CONSTANTS) and self.compute({}, only=name)[name] is None:
                raise FormulaError(
                    f"instruments.formulas: “{name}” divides by zero or has no value. Change the constants "
                    "in it."
                )
            _check_divisors(name, trees[name])

    def compute(self, values, only=None):
        """Values of the formula channels; None where one cannot be computed (a division by zero, a root of a
        negative number).

        Parameters
        ----------
        values : dict of str to float
        """
        known, out = {**CONSTANTS, **values}, {}
        for name in self._averaged & set(values):
            known[_mean_of(name)] = self._mean(name, values[name])
        for name in self.order if only is None else [only]:
            try:
                value = float(_evaluate(self.trees[name], known))
                out[name] = value if math.isfinite(value) else None
            except (ArithmeticError, ValueError, TypeError, KeyError):
                out[name] = None
            known[name] = out[name]
            if name in self._averaged:
                known[_mean_of(name)] = self._mean(name, out[name])
        return out

    def restart_means(self):
        """Begin the running means of `about_mean` afresh, as at the end of a start-up."""
        self._sums = {name: [0, 0.0] for name in self._averaged}

    def _mean(self, name, value):
        """Running mean of a channel with one more value; one that is missing does not count."""
        entry = self._sums[name]
        if isinstance(value, (int, float)):
            entry[0] += 1
            entry[1] += value
        return entry[1] / entry[0] if entry[0] else None


def names_in(expression):
    """Names that stand in an expression, whatever they mean: a set; raises `FormulaError` where it cannot be
    read."""
    return _names(_parse(Formula(name="expression", expression=expression)))


def _called(formula, words):
    """The name of the channel that people call so."""
    # The words belong to the kinds, which know of channels themselves.
    from .naming import channel_called
    name = channel_called(words)
    if not name:
        raise FormulaError(
            f"instruments.formulas: “{formula.name}”: no channel is called “{words[:60]}”. Write a label as "
            "the pages have it, in quotation marks, or the channel's name.")
    return f" {name} "


def _check_name(name, base, taken):
    if not name.isidentifier() or not name.isascii():
        raise FormulaError(
            f"instruments.formulas: the name “{name}” must be letters, digits and _, beginning with a letter."
        )
    if name in base or name in FUNCTIONS or name in CONSTANTS:
        raise FormulaError(
            f"instruments.formulas: the name “{name}” is taken by a channel or function. Give the formula "
            "another."
        )
    if name in taken:
        raise FormulaError(f"instruments.formulas: two formulas are called “{name}”. Give each its own name.")


def _parse(formula):
    text = formula.expression
    text = LABEL.sub(lambda found: _called(formula, found[1] or found[2] or ""), text)
    for given, meant in SPELLINGS.items():
        text = text.replace(given, meant)
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise FormulaError(
            f"instruments.formulas: “{formula.name} = {formula.expression[:60]}” cannot be read. "
            "Write channels, numbers, + - * / ^ and brackets, for example lift / drag.") from None
    nodes = list(ast.walk(tree))
    if len(nodes) > MOST_NODES:
        raise FormulaError(
            f"instruments.formulas: “{formula.name}” is longer than a formula may be. Split it into several.")
    for node in nodes:
        if isinstance(node, ast.Call) and isinstance(
                node.func, ast.Name) and node.func.id == "about_mean" and not _is_about_mean(node):
            raise FormulaError(
                f"instruments.formulas: “{formula.name}”: about_mean takes one channel's name, for example "
                "about_mean(lift). Give what is inside a formula of its own."
            )
        _check_node(formula, node)
    return tree


def _check_node(formula, node):
    good = (isinstance(node, (ast.Name, ast.Load, *BINARY, *UNARY))
            or isinstance(node, ast.BinOp) and type(node.op) in BINARY
            or isinstance(node, ast.UnaryOp) and type(node.op) in UNARY
            or isinstance(node, ast.Constant) and type(node.value) in (int, float) and abs(node.value) < 1e100
            or isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in FUNCTIONS
            and node.args and not node.keywords)
    if not good:
        raise FormulaError(
            f"instruments.formulas: “{formula.name} = {formula.expression[:60]}” holds something that is not "
            "arithmetic. Only channels, numbers, "
            f"+ - * / ^, brackets and {', '.join(FUNCTIONS)} are allowed.")


def _is_about_mean(node):
    return isinstance(node, ast.Call) and isinstance(
        node.func, ast.Name) and node.func.id == "about_mean" and len(node.args) == 1 and isinstance(
            node.args[0], ast.Name)


def _mean_of(name):
    return f"mean of {name}"


def _names(tree):
    functions = {node.func.id for node in ast.walk(tree) if isinstance(node, ast.Call)}
    return {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)} - functions


def _ordered(trees):
    order, state = [], {}

    def visit(name, path):
        if state.get(name) == "done" or name not in trees:
            return
        if name in path:
            raise FormulaError(
                f"instruments.formulas: {' → '.join([*path[path.index(name):], name])} is a cycle: a formula "
                "cannot need itself. Take one of them out."
            )
        for used in sorted(_names(trees[name])):
            visit(used, [*path, name])
        state[name] = "done"
        order.append(name)

    for name in trees:
        visit(name, [])
    return order


def _check_divisors(name, tree):
    for node in ast.walk(tree):
        if isinstance(node, ast.BinOp) and isinstance(node.op,
                                                      ast.Div) and not _names(node.right) - set(CONSTANTS):
            try:
                zero = _evaluate(node.right, CONSTANTS) == 0
            except (ArithmeticError, ValueError, TypeError):
                zero = True
            if zero:
                raise FormulaError(f"instruments.formulas: “{name}” divides by zero. Change the divisor.")


def _evaluate(node, values):
    if isinstance(node, ast.Constant):
        return float(node.value)
    if isinstance(node, ast.Name):
        return values[node.id]
    if isinstance(node, ast.UnaryOp):
        return UNARY[type(node.op)](_evaluate(node.operand, values))
    if isinstance(node, ast.BinOp):
        result = BINARY[type(node.op)](_evaluate(node.left, values), _evaluate(node.right, values))
        if isinstance(result, complex):
            raise ValueError("root of a negative number")
        return result
    if _is_about_mean(node):
        return values[node.args[0].id] - values[_mean_of(node.args[0].id)]
    return FUNCTIONS[node.func.id](*(_evaluate(argument, values) for argument in node.args))
