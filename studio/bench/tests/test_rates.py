"""How quick the machine is, measured once and kept for all that run on a data folder."""

from __future__ import annotations

import json
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from django.test import override_settings

from relief.deliver.rates import MachineRates, Rate, Rates
from relief.errors import ReliefError
from studio.bench import rates

SLOW = MachineRates(Rates(Rate(1e-5, {"obj": 2e-6}, {"obj": 90.0}), Rate(3e-5, {"obj": 2e-6}, {"obj": 70.0})), 4e-6)


class RatesTests(TestCase):
    def setUp(self):
        folder = self.enterContext(TemporaryDirectory())
        self.enterContext(override_settings(DATA=Path(folder)))
        self.kept = Path(folder, "rates.json")
        self.measure = self.enterContext(mock.patch.object(rates, "measure_machine", return_value=SLOW))

    def test_it_is_measured_once_and_kept_as_it_was(self):
        self.assertEqual((rates.mesh_rates(), rates.seconds_of_path()), (SLOW.meshes, SLOW.path))
        self.assertEqual((rates.mesh_rates(), rates.seconds_of_path()), (SLOW.meshes, SLOW.path))
        self.measure.assert_called_once()

    def test_what_is_damaged_or_of_another_machine_is_measured_anew(self):
        rates.mesh_rates()
        good = self.kept.read_bytes()
        other = json.dumps(json.loads(good) | {"of": "another"}).encode()
        for bad in (b"", good[:-9], b"[]", b"\xff\xfe", b'{"levels": 1}', other):
            self.kept.write_bytes(bad)
            self.measure.reset_mock()
            self.assertEqual(rates.mesh_rates(), SLOW.meshes, bad[:20])
            self.measure.assert_called_once()
            self.assertEqual(self.kept.read_bytes(), good, bad[:20])

    def test_where_no_still_can_be_drawn_that_is_said_each_time(self):
        self.measure.return_value = SLOW._replace(path=None)
        missing = mock.patch.object(rates, "time_usual_path", side_effect=ReliefError("No rays here."))
        with missing, self.assertRaisesRegex(ReliefError, "No rays here"):
            rates.seconds_of_path()
        self.assertEqual(rates.mesh_rates(), SLOW.meshes)
        self.measure.assert_called_once()
