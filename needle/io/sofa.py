"""Measured heads: head-related impulse responses from an AES69 (SOFA) file.

Read are files of the convention SimpleFreeFieldHRIR (AES69-2022, Annex D.1): ``Data.IR`` (measurements, receivers,
samples), ``Data.SamplingRate`` and ``SourcePosition``, spherical in degrees or Cartesian. What ``Data.Delay`` keeps
apart is put back in front of the responses.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import soxr
from numpy.typing import NDArray

from needle.dsp.spherical_head import interpolated
from needle.errors import NeedleError
from needle.io.extras import Extra
from needle.layouts import Layout
from needle.room_coordinates import unit_vectors

if TYPE_CHECKING:
    import h5py
else:
    h5py = Extra("h5py", "sofa")


Audio = NDArray[np.float32]

MOST_MEASUREMENTS = 50_000
MOST_SAMPLES = 4096
MOST_VALUES = 1 << 28


@dataclass(frozen=True)
class Head:
    """What either ear hears of many directions.

    ``directions`` float64 (3, n): unit vectors, to the right, to the front, up. ``responses`` float32 (n, 2, taps),
    left ear and right ear at ``rate`` (Hz).
    """

    directions: NDArray[np.float64]
    responses: Audio
    rate: int

    def at_speakers(self, rate: int, layout: Layout) -> Audio:
        """The responses of each speaker at a rate (Hz), as strong as they were measured: float32 (2, speakers, taps).

        Between measured directions it is interpolated (``needle.dsp.spherical_head.interpolated``).
        """
        result = interpolated(self.directions, self.responses, unit_vectors(*layout.directions))
        if rate != self.rate:
            flat = result.reshape(-1, result.shape[2]).T
            result = soxr.resample(flat, self.rate, rate, quality="VHQ").T.reshape(*result.shape[:2], -1)
            result = result * np.float32(self.rate / rate)
        return np.ascontiguousarray(result.transpose(1, 0, 2)[..., :MOST_SAMPLES], np.float32)


def read_head(path: Path) -> Head:
    """The head that a SOFA file holds; NeedleError says what is wrong with the file."""
    try:
        with h5py.File(path, "r") as file:
            return _read(file)
    except NeedleError:
        raise
    except (OSError, KeyError, ValueError, RuntimeError) as error:
        raise NeedleError("sofa.not_sofa") from error


def _read(file: h5py.File) -> Head:
    convention = _text(file.attrs.get("SOFAConventions", b""))
    if not convention.startswith("SimpleFreeFieldHRIR"):
        raise NeedleError("sofa.wrong_convention", convention=convention or "?")
    data, places, rates = (_dataset(file, name) for name in ("Data.IR", "SourcePosition", "Data.SamplingRate"))
    if data.ndim != 3 or data.shape[1] != 2 or not data.shape[2] or data.size > MOST_VALUES:
        raise NeedleError("sofa.not_two_ears")
    measured = data.shape[0]
    if not 1 <= measured <= MOST_MEASUREMENTS or places.shape not in ((measured, 3), (1, 3), (3,)):
        raise NeedleError("sofa.no_positions")
    if rates.size != 1:
        raise NeedleError("sofa.no_sampling_rate")
    rate = round(float(np.ravel(rates[()])[0]))
    if not 8000 <= rate <= 192_000:
        raise NeedleError("sofa.sampling_rate_out_of_range", rate=rate)
    responses = np.asarray(data[:, :, :MOST_SAMPLES], dtype=np.float32)
    positions = np.broadcast_to(np.asarray(places, dtype=np.float64), (data.shape[0], 3))
    if not (np.isfinite(responses).all() and np.isfinite(positions).all() and responses.any()):
        raise NeedleError("sofa.not_numbers")
    delays = _delays(file, measured)
    return Head(
        _vectors(positions, _text(places.attrs.get("Type", b"spherical"))), with_delays(responses, delays), rate
    )


def _delays(file: h5py.File, measured: int) -> NDArray[np.float64]:
    """The delays of the responses (samples) that the file holds apart from them, (measured, 2)."""
    if "Data.Delay" not in file:
        return np.zeros((measured, 2))
    dataset = _dataset(file, "Data.Delay")
    if dataset.shape not in ((measured, 2), (1, 2)):
        raise NeedleError("sofa.wrong_delays")
    delays = np.broadcast_to(np.asarray(dataset, dtype=np.float64), (measured, 2))
    if not (np.isfinite(delays).all() and delays.min() >= 0.0 and delays.max() <= MOST_SAMPLES):
        raise NeedleError("sofa.delays_out_of_range", most=MOST_SAMPLES)
    return delays


def with_delays(responses: Audio, delays: NDArray[np.float64]) -> Audio:
    """Responses (n, 2, taps) delayed by samples (n, 2), less the delay that all of them share."""
    delays = delays - delays.min()
    if not delays.any():
        return responses
    taps = min(responses.shape[2] + int(np.ceil(delays.max())), MOST_SAMPLES)
    result = np.zeros((*responses.shape[:2], taps), np.float32)
    size = 1 << (2 * taps - 1).bit_length()
    rotation = -2j * np.pi * np.fft.rfftfreq(size)
    for row, (response, ear_delays) in enumerate(zip(responses, delays, strict=True)):
        spectrum = np.fft.rfft(response.astype(np.float64), size) * np.exp(rotation * ear_delays[:, np.newaxis])
        result[row] = np.fft.irfft(spectrum, size)[:, :taps]
    return result


def _dataset(file: h5py.File, name: str) -> h5py.Dataset:
    """One of the file's datasets, not yet read.

    NeedleError unless it lies in the file itself and holds plain real numbers. HDF5 would read whatever else an
    external, virtual or linked dataset names, with the rights of whoever opens it (HDF5 User's Guide, 4.4 and 5.5).
    """
    link = file.get(name, getlink=True)
    if link is None:
        raise KeyError(name)
    if not isinstance(link, h5py.HardLink):
        raise NeedleError("sofa.outside_data", name=name)
    dataset = file[name]
    if not isinstance(dataset, h5py.Dataset):
        raise NeedleError("sofa.not_a_table", name=name)
    if dataset.external or dataset.is_virtual:
        raise NeedleError("sofa.outside_data", name=name)
    if dataset.dtype.kind not in "fiu" or dataset.dtype.itemsize > 8:
        raise NeedleError("sofa.not_a_table", name=name)
    return dataset


def _vectors(positions: NDArray[np.float64], kind: str) -> NDArray[np.float64]:
    """Directions as the rest of the application has them; AES69 looks along x, with y to the left."""
    if kind.startswith("cart"):
        x, y, z = positions.T / np.maximum(np.linalg.norm(positions, axis=1), 1e-9)
        return np.array([-y, x, z])
    return unit_vectors(positions[:, 0], positions[:, 1])


def _text(value: object) -> str:
    if isinstance(value, np.ndarray):
        value = value.ravel()[0] if value.size else ""
    return value.decode(errors="replace") if isinstance(value, bytes) else str(value)
