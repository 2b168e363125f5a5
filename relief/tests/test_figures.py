"""Figures in words, over more than ten decades."""

from unittest import TestCase

from relief.figures import say_bytes, say_count, say_length, say_number, say_share, say_time

SPACE = "\N{NO-BREAK SPACE}"


class FigureTests(TestCase):
    def test_no_figure_is_written_in_powers_and_all_say_what_they_stand_for(self):
        """Read back, each is within what its digits leave open."""
        per_unit = {"mm": 1, "m": 1e3, "km": 1e6, "bytes": 1, "kB": 1e3, "MB": 1e6, "GB": 1e9, "TB": 1e12}
        per_unit |= {"s": 1, "min": 60, "h": 3600}
        for decade in range(-6, 9):
            for mantissa in (1, 1.049, 1.5, 2.25, 4.427, 9.4, 9.949, 9.96, 9.9951, 9.99999):
                value = mantissa * 10.0**decade
                for say, least in ((say_number, 1e-9), (say_length, 1e-9), (say_bytes, 1e-3), (say_time, 1e-3)):
                    said = say(value)
                    self.assertNotIn("e", said.replace("bytes", ""), said)
                    number, _, unit = said.replace(SPACE, " ").partition(" ")
                    read = float(number) * per_unit.get(unit, 1)
                    if value >= least:
                        allowed = 0.51 if unit == "min" else 0.06
                        self.assertLess(abs(read / value - 1), allowed, f"{value} as {said}")

    def test_each_is_written_as_a_person_would(self):
        for said, expected in (
            (say_length(150), "150 mm"), (say_length(0.0231), "0.023 mm"), (say_length(9999.6), "10 m"),
            (say_length(250_000), "250 m"), (say_length(1e7), "10 km"), (say_length(-4.04), "-4 mm"),
            (say_length(0), "0 mm"), (say_number(1_500_000.0, 6), "1500000"), (say_number(-0.0), "0"),
            (say_number(0.000123456, 6), "0.000123456"), (say_number(-1e-12), "0"),
            (say_time(99.6), f"2{SPACE}min"), (say_time(99.4), f"99{SPACE}s"), (say_time(150 * 60), f"2.5{SPACE}h"),
            (say_bytes(999_600), f"1{SPACE}MB"), (say_bytes(12), f"12{SPACE}bytes"),
            (say_bytes(2e15), f"2000{SPACE}TB"),
            (say_count(1_638_400), f"1{SPACE}638{SPACE}400"), (say_share(0.996), f"99.6{SPACE}%"),
            (say_share(0.00001), f"under 0.01{SPACE}%"), (say_share(1), f"100{SPACE}%"),
        ):  # fmt: skip
            self.assertEqual(said, expected)
