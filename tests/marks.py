"""Which tests belong to the quick check, and which to the check of everything alone."""
import os
import unittest

EVERYTHING = os.environ.get("VENTARIS_CHECK") == "all"
slow = unittest.skipIf(os.environ.get("VENTARIS_CHECK") == "fast", "left out of the fast check")
thorough = unittest.skipUnless(EVERYTHING, "belongs to the check of everything")
