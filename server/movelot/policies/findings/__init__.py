"""What policies find."""

from movelot.policies.findings.default_unserved import DefaultUnservedKind
from movelot.policies.findings.fits_nowhere import FitsNowhereKind
from movelot.policies.findings.limits_missing import LimitsMissingKind
from movelot.policies.findings.out_of_policy import OutOfPolicyKind
from movelot.policies.findings.parts_out import PartsOutKind
from movelot.policies.findings.set_of_policies import AlikeKind, RoomEndsKind, WithoutPolicyKind

OUT_OF_POLICY, FITS_NOWHERE, LIMITS_MISSING = OutOfPolicyKind(), FitsNowhereKind(), LimitsMissingKind()
ALIKE, ROOM_ENDS, WITHOUT_POLICY = AlikeKind(), RoomEndsKind(), WithoutPolicyKind()
DEFAULT_UNSERVED, PARTS_OUT = DefaultUnservedKind(), PartsOutKind()
KINDS = (OUT_OF_POLICY, FITS_NOWHERE, LIMITS_MISSING, ALIKE, ROOM_ENDS, WITHOUT_POLICY, DEFAULT_UNSERVED, PARTS_OUT)
