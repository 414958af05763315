"""What Attach judges, each apart by what it rests on."""

from movelot.attach.judges.file_storage import FileJudge
from movelot.attach.judges.masking import MaskingJudge
from movelot.attach.judges.sets import SetJudge

JUDGES = (MaskingJudge, FileJudge, SetJudge)
