"""How long tests wait for what has to come before they give up.

Nothing is measured by it: a test that passes does not wait for it, and on a machine that has much else to do, what takes
a second alone may take a minute.
"""

import os

PATIENT_S = float(os.environ.get("PATIENT_S", 300))
PATIENT_MS = PATIENT_S * 1000
