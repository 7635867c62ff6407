"""Tests of the filter, run before anything is sent to the hut."""

import unittest

from gauge.filter import still_water


class TheFilter(unittest.TestCase):
    def test_a_gull_is_thrown_away(self) -> None:
        self.assertAlmostEqual(still_water([3.0] * 700 + [1.0] * 20), 3.0)
