"""Which tests belong to the quick check."""
import os
import unittest

slow = unittest.skipIf(os.environ.get("VENTARIS_CHECK") == "fast", "left out of the fast check")
