"""How arrays go to the browser."""
import json
import struct
import unittest

import numpy as np

from ventaris.web.packing import packed


class Packing(unittest.TestCase):
    def test_header_and_arrays_can_be_read_back(self):
        points, corners = np.linspace(0, 1, 7).astype("<f4"), np.arange(5, dtype="<u4")
        for head in ({"n": 7}, {"n": 7, "name": "Größe"}, {}):
            with self.subTest(head=head):
                data = packed(head, [points, corners])
                length = struct.unpack_from("<I", data)[0]
                self.assertEqual(json.loads(data[4:4 + length]), head)
                # The arrays begin where a browser may view them as numbers of four bytes.
                self.assertEqual(length % 4, 0)
                np.testing.assert_array_equal(np.frombuffer(data, "<f4", 7, 4 + length), points)
                np.testing.assert_array_equal(np.frombuffer(data, "<u4", 5, 4 + length + 28), corners)

    def test_without_arrays_the_header_is_all(self):
        data = packed({"empty": True}, [])
        self.assertEqual(json.loads(data[4:]), {"empty": True})


if __name__ == "__main__":
    unittest.main()
