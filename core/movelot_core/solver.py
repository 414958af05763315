"""Mixed-integer programmes, solved by HiGHS within a budget of steps, so that the same programme gives the same answer.

A budget is counted in *steps*: what the solver does, weighed by the size of the programme, about a millisecond each on
one core of a plain machine. Seconds are not counted: a busy machine takes longer and finds the same.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import highspy
import numpy as np
from numpy.typing import NDArray
from scipy import sparse

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

# Steps of one look (the solver comes by between rounds of cuts, heuristics and branches) and of one node of its tree,
# for no and for each thousand entries of the matrix: measured on parts and whole groups of bench/instances.py.
LOOK_STEPS, LOOK_STEPS_THOUSAND = 1.5, 2.0
NODE_STEPS, NODE_STEPS_THOUSAND = 4.0, 1.0
# Steps of asking at all.
CALL_STEPS = 10.0
# A gap below this share of the best value is none.
GAP_RELATIVE = 1e-6
SCALE_MAX = 1e6


class Budget:
    """Steps that may still be spent. ``stopped`` is asked now and then, told what share is spent, whether to end."""

    def __init__(self, steps: float, stopped: Callable[[float], bool] | None = None) -> None:
        self.steps, self.spent, self.halted = steps, 0.0, False
        self._stopped = stopped

    @property
    def left(self) -> float:
        """Steps that are left; none once it was halted."""
        return 0.0 if self.halted else max(0.0, self.steps - self.spent)

    def more(self, share: float) -> Budget:
        """A budget of its own beside this one, of a share of its steps; none once this was halted."""
        return Budget(0.0 if self.halted else self.steps * share, self._stopped)

    def part(self, steps: float) -> Budget:
        """A budget of some of these steps, that count as spent here; what is told of it is told of this one."""
        steps = min(steps, self.left)
        self.spent += steps
        return Budget(steps, lambda share: self.look((share - 1) * steps))

    def spend(self, steps: float) -> None:
        """Count ``steps``, and ask whether to end."""
        self.spent += steps
        self.look(0.0)

    def look(self, beside: float) -> bool:
        """Ask whether to end, with steps ``beside`` those that are counted; a halt lasts."""
        if self._stopped is not None and not self.halted:
            self.halted = self._stopped(min(1.0, (self.spent + beside) / max(self.steps, 1.0)))
        return self.halted


@dataclass(frozen=True)
class Programme:
    """Least ``cost`` [n] with ``low`` <= ``matrix`` x <= ``high`` [m] and 0 <= x <= ``most`` [n].

    ``whole`` [n] says which may only be whole numbers.
    """

    cost: Floats
    matrix: sparse.csr_matrix
    low: Floats
    high: Floats
    most: Floats
    whole: Bools


@dataclass(frozen=True)
class Basis:
    """Where a programme without whole numbers was solved: for columns [n] and rows [m] whether each is basic.

    A programme that is nearly the same is solved from there in few steps.
    """

    columns: Bools
    rows: Bools


@dataclass(frozen=True)
class Answer:
    """The best that was found: None where there is none, or none was found; ``proven`` where nothing is better.

    ``bound``: no solution costs less; minus infinity where nothing is known of that. ``prices`` [m]: what one more on
    the right of each row would change the cost by; ``basis``: where it ended, to go on from. Only where nothing has to
    be whole do they say anything.
    """

    x: Floats | None
    proven: bool
    bound: float
    prices: Floats
    basis: Basis | None


def solved(
    programme: Programme,
    budget: Budget,
    steps: float = np.inf,
    start: Floats | Basis | None = None,
    gap: float = GAP_RELATIVE,
) -> Answer:
    """Solve a programme with no more than ``steps`` of the ``budget``, from ``start`` where one is known.

    A start that keeps all rows is an answer from the beginning: the answer is never worse than it.
    """
    allowed = min(steps, budget.left)
    thousands = programme.matrix.nnz / 1000
    node, look = NODE_STEPS + NODE_STEPS_THOUSAND * thousands, LOOK_STEPS + LOOK_STEPS_THOUSAND * thousands
    scale = _scale(programme, start)
    solver = _loaded(replace(programme, cost=programme.cost * scale))
    solver.setOptionValue("mip_rel_gap", gap)
    solver.setOptionValue("mip_max_nodes", max(1, int(allowed / node / 2)))
    if isinstance(start, Basis):
        solver.setBasis(_told(start, solver.getLp()))
    elif start is not None:
        known = highspy.HighsSolution()
        known.col_value = start
        solver.setSolution(known)
    looks = 0

    def watch(event: highspy.highs.HighsCallbackEvent) -> None:
        nonlocal looks
        looks += 1
        spent = looks * look + max(0, event.data_out.mip_node_count) * node
        if spent >= allowed or budget.look(spent):
            event.interrupt()

    if programme.whole.any():
        solver.cbMipInterrupt.subscribe(watch)
    solver.run()
    info = solver.getInfo()
    nodes = max(0, info.mip_node_count)
    budget.spend(CALL_STEPS + looks * look + nodes * node + info.simplex_iteration_count * thousands / 100)
    # No solver holds what has not to be found.
    found = info.primal_solution_status == highspy.SolutionStatus.kSolutionStatusFeasible
    proven = solver.getModelStatus() == highspy.HighsModelStatus.kOptimal
    bound = info.mip_dual_bound if programme.whole.any() else info.objective_function_value if proven else -np.inf
    bound /= scale
    solution = solver.getSolution()
    basis = None if programme.whole.any() else _reached(solver.getBasis())
    return Answer(np.array(solution.col_value) if found else None, proven, bound, np.array(solution.row_dual), basis)


def _scale(programme: Programme, start: Floats | Basis | None) -> float:
    """What costs are multiplied by, so that the start costs 1.

    The solver takes a start of little cost, a thousandth, for the best there is though there is one of none: what it
    cuts off before it begins it compares within absolute tolerances.
    """
    if start is None or isinstance(start, Basis) or not programme.whole.any():
        return 1.0
    cost = abs(float(programme.cost @ start))
    return min(max(1.0, 1 / cost), SCALE_MAX) if cost else 1.0


_BASIC = highspy.HighsBasisStatus.kBasic


def _reached(basis: highspy.HighsBasis) -> Basis:
    basic = (np.array([each == _BASIC for each in told], dtype=bool) for told in (basis.col_status, basis.row_status))
    return Basis(*basic)


def _told(start: Basis, model: highspy.HighsLp) -> highspy.HighsBasis:
    """A basis as the solver takes it, which puts what is not basic at its lower end where it has one."""
    kinds, basis = highspy.HighsBasisStatus, highspy.HighsBasis()
    basis.col_status = [_BASIC if basic else kinds.kLower for basic in start.columns]
    low = np.isfinite(np.array(model.row_lower_))
    basis.row_status = [
        _BASIC if basic else kinds.kLower if lower else kinds.kUpper
        for basic, lower in zip(start.rows, low, strict=True)
    ]
    basis.alien = True
    return basis


def _loaded(programme: Programme) -> highspy.Highs:
    solver = highspy.Highs()
    # One thread: with more of them the answer is another each time. One of the heuristics solves a programme nearly as
    # large at one go, which no look ends.
    for option, value in (
        ("output_flag", False),
        ("parallel", "off"),
        ("threads", 1),
        ("mip_heuristic_run_rens", False),
    ):
        solver.setOptionValue(option, value)
    columns = sparse.csc_matrix(programme.matrix)
    rows, count = columns.shape
    model = highspy.HighsLp()
    model.num_row_, model.num_col_ = rows, count
    model.col_cost_, model.col_lower_, model.col_upper_ = programme.cost, np.zeros(count), programme.most
    model.row_lower_, model.row_upper_ = programme.low, programme.high
    model.a_matrix_.format_ = highspy.MatrixFormat.kColwise
    model.a_matrix_.start_, model.a_matrix_.index_ = columns.indptr, columns.indices
    model.a_matrix_.value_ = columns.data
    if programme.whole.any():
        kinds = highspy.HighsVarType
        model.integrality_ = [kinds.kInteger if whole else kinds.kContinuous for whole in programme.whole]
    solver.passModel(model)
    return solver
