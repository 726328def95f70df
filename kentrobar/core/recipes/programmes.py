"""Least cost under linear bounds, with unknowns that are whole or not: what HiGHS solves. It is
imported only here, and with it NumPy: a tenth of what all of SciPy takes to load and to hold."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Solved:
    """The best found.

    Attributes:
        x: the unknowns. cost: of them. least: no others cost less. is_done: it was proven to be
            within the gap that was asked for.
    """

    x: Array
    cost: float
    least: float
    is_done: bool


def solved(
    cost: Array,
    rows: Array,
    most: Array,
    low: Array,
    high: Array,
    is_whole: Array,
    nodes: int = 0,
    gap: float = 0.0,
) -> Solved | None:
    """The x with the least ``cost``·x, where ``rows``·x ≤ ``most`` and ``low`` ≤ x ≤ ``high``; None
    where there is none, or none was found among so many ``nodes``.

    Args:
        is_whole: which unknowns are whole numbers, not 0 for those that are.
        nodes: branches to look into at most, where any are.
        gap: a share of the cost that another may be less.
    """
    import highspy
    import numpy as np

    # The solver itself: its wrapper writes a line to wherever the answer is printed.
    from highspy._core import _Highs

    at, which = np.nonzero(rows)
    lp = highspy.HighsLp()
    lp.num_col_, lp.num_row_ = len(cost), len(rows)
    lp.col_cost_, lp.col_lower_, lp.col_upper_ = cost, low, high
    lp.row_lower_, lp.row_upper_ = np.full(len(rows), -np.inf), most
    lp.a_matrix_.format_ = highspy.MatrixFormat.kRowwise
    lp.a_matrix_.start_ = np.searchsorted(at, np.arange(len(rows) + 1))
    lp.a_matrix_.index_, lp.a_matrix_.value_ = which, rows[at, which]
    is_mixed = bool(is_whole.any())
    if is_mixed:
        whole, real = highspy.HighsVarType.kInteger, highspy.HighsVarType.kContinuous
        lp.integrality_ = [whole if one else real for one in is_whole]
    highs = _Highs()
    # One thread: the same programme gives the same answer, whatever else the machine does.
    options = {
        "output_flag": False, "threads": 1, "mip_max_nodes": nodes, "mip_rel_gap": gap,
    }  # fmt: skip
    for name, value in options.items():
        highs.setOptionValue(name, value)
    highs.passModel(lp)
    highs.run()
    info, status = highs.getInfo(), highs.getModelStatus()
    is_done = status == highspy.HighsModelStatus.kOptimal
    if info.primal_solution_status != highspy.SolutionStatus.kSolutionStatusFeasible:
        return None
    if not is_done and not is_mixed:
        return None  # what a linear programme had come to bounds nothing
    found = float(info.objective_function_value)
    x = np.array(highs.getSolution().col_value)
    return Solved(x, found, float(info.mip_dual_bound) if is_mixed else found, is_done)
