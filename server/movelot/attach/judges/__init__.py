"""What Attach judges, each apart by what it rests on."""

from movelot.attach.judges.files import FileJudge
from movelot.attach.judges.masking import MaskingJudge
from movelot.attach.judges.paths import PathJudge
from movelot.attach.judges.sets import SetJudge

JUDGES = (PathJudge, MaskingJudge, FileJudge, SetJudge)
