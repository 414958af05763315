"""What capacity finds."""

from movelot.capacity.findings.difference import DifferenceKind
from movelot.capacity.findings.left_behind import LeftBehindKind
from movelot.capacity.findings.oversubscribed import OversubscribedKind
from movelot.capacity.findings.runs_out import RunsOutKind

RUNS_OUT, OVERSUBSCRIBED, DIFFERENCE, LEFT_BEHIND = (
    RunsOutKind(),
    OversubscribedKind(),
    DifferenceKind(),
    LeftBehindKind(),
)
KINDS = (RUNS_OUT, OVERSUBSCRIBED, DIFFERENCE, LEFT_BEHIND)
