"""What policies find."""

from movelot.policies.findings.fits_nowhere import FitsNowhereKind
from movelot.policies.findings.out_of_policy import OutOfPolicyKind

OUT_OF_POLICY, FITS_NOWHERE = OutOfPolicyKind(), FitsNowhereKind()
KINDS = (OUT_OF_POLICY, FITS_NOWHERE)
