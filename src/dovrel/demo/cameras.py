"""The three made-up cameras: how light becomes code values, and the encodings they ship with.

Camera A, an *Alderney L4*, and camera B, a *Corvane 12*, record logarithmically in gamuts of
their own; camera C, a *Petrel Mini*, records Rec.709 in 8 bits with its own idea of white.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour.outputs import config
from dovrel.core.colour.white import XYZ_TO_AP1
from dovrel.demo.scene.spectra import LIGHTS, REFLECTANCES, SENSITIVITIES, WAVELENGTHS, blackbody, daylight

ENCODING_FOLDER = Path(__file__).parent / "encodings"

AP1_TO_AP0 = np.array(
    [
        [0.6954522414, 0.1406786965, 0.1638690622],
        [0.0447945634, 0.8596711185, 0.0955343182],
        [-0.0055258826, 0.0040252103, 1.0015006723],
    ]
)


@dataclass(frozen=True)
class LogCurve:
    """Code = slope · log2(gain · light + lift) + base above `cut` (light), a line below it."""

    slope: float
    gain: float
    lift: float
    base: float
    cut: float

    def encode(self, light: np.ndarray) -> np.ndarray:
        log = self.slope * np.log2(np.maximum(self.gain * light + self.lift, 1e-9)) + self.base
        at_cut = self.slope * np.log2(self.gain * self.cut + self.lift) + self.base
        tangent = self.slope * self.gain / ((self.gain * self.cut + self.lift) * np.log(2))
        return np.where(light > self.cut, log, at_cut + tangent * (light - self.cut))


@dataclass(frozen=True)
class LogCamera:
    """A camera that records light: its curve and its gamut's primaries as seen from AP1."""

    letter: str
    make: str
    encoding: str
    curve: LogCurve
    gamut_to_ap1: np.ndarray
    read_noise: float
    shot_noise: float
    full_well: float
    """Linear light at which the sensor clips; its code is just at the top of the range."""


LOG_CAMERAS: dict[str, LogCamera] = {
    "A": LogCamera(
        "A",
        "Alderney L4",
        "alderney-l4",
        LogCurve(0.0930, 24.0, 0.055, 0.248, 0.004),
        np.array([[0.86, 0.10, 0.04], [-0.01, 1.06, -0.05], [0.01, -0.08, 1.07]]),
        0.0006,
        0.0022,
        11.0,
    ),
    "B": LogCamera(
        "B",
        "Corvane 12",
        "corvane-12",
        LogCurve(0.1162, 38.0, 0.12, 0.195, 0.0015),
        np.array([[0.93, 0.03, 0.04], [0.04, 0.99, -0.03], [-0.02, -0.03, 1.05]]),
        0.0008,
        0.0027,
        3.2,
    ),
}
VIDEO_CAMERA = "C"
VIDEO_MAKE = "Petrel Mini"


def write_encodings(folder: Path = ENCODING_FOLDER) -> None:
    """Write each log camera's encoding as a CLF file: code values → ACES2065-1."""
    folder.mkdir(parents=True, exist_ok=True)
    for camera in LOG_CAMERAS.values():
        curve = camera.curve
        group = ocio.GroupTransform()
        group.appendTransform(
            ocio.LogCameraTransform(
                base=2.0,
                logSideSlope=[curve.slope] * 3,
                logSideOffset=[curve.base] * 3,
                linSideSlope=[curve.gain] * 3,
                linSideOffset=[curve.lift] * 3,
                linSideBreak=[curve.cut] * 3,
                direction=ocio.TRANSFORM_DIR_INVERSE,
            )
        )
        matrix = np.eye(4)
        matrix[:3, :3] = AP1_TO_AP0 @ camera.gamut_to_ap1
        group.appendTransform(ocio.MatrixTransform(matrix=matrix.ravel().tolist()))
        metadata = group.getFormatMetadata()
        metadata.setName(camera.encoding)
        metadata.setID(f"urn:dovrel:{camera.encoding}")
        metadata.addChildElement("Description", f"{camera.make}: recorded code values to ACES2065-1")
        metadata.addChildElement("InputDescriptor", f"{camera.make} log")
        metadata.addChildElement("OutputDescriptor", "ACES2065-1")
        group.write("Academy/ASC Common LUT Format", str(folder / f"{camera.encoding}.clf"), config())


def _balance(letter: str, light: np.ndarray) -> np.ndarray:
    """Gains that make a white surface under `light` equal in the camera's three channels."""
    response = SENSITIVITIES[letter] @ light
    return response[1] / response


def _profile(letter: str) -> np.ndarray:
    """The maker's matrix: balanced sensor response → AP1, least squares over surfaces and keeping white.

    Makers fit it to one set of surfaces under one light; what is left over is why cameras differ.
    """
    light = daylight(5500)
    reference = ap1_responses(np.stack([r * light for r in REFLECTANCES.values()]))
    white = ap1_responses(light[None])[0]
    reference = reference / white
    gains = _balance(letter, light)
    sensor = np.stack([(SENSITIVITIES[letter] @ (r * light)) * gains for r in REFLECTANCES.values()])
    sensor = sensor / (SENSITIVITIES[letter] @ light * gains)
    scale = 1.0 / np.sqrt(0.05 + reference.mean(axis=1))[:, None]
    # Keep white: solve for the first two columns, the third makes every row sum to one.
    matrix = np.empty((3, 3))
    for row in range(3):
        left = (sensor[:, :2] - sensor[:, 2:]) * scale
        right = (reference[:, row] - sensor[:, 2])[:, None] * scale
        solution = np.linalg.lstsq(left, right.ravel(), rcond=None)[0]
        matrix[row] = [solution[0], solution[1], 1 - solution.sum()]
    return matrix


def ap1_responses(stimuli: np.ndarray) -> np.ndarray:
    """Linear AP1 of spectra (n, wavelengths), by the CIE 1931 observer in the analytic form of
    Wyman, Sloan and Shirley 2013."""
    w = WAVELENGTHS

    def lobe(centre: float, below: float, above: float) -> np.ndarray:
        width = np.where(w < centre, below, above)
        return np.exp(-0.5 * ((w - centre) * width) ** 2)

    x = 0.362 * lobe(442.0, 0.0624, 0.0374) + 1.056 * lobe(599.8, 0.0264, 0.0323) - 0.065 * lobe(501.1, 0.0490, 0.0382)
    y = 0.821 * lobe(568.8, 0.0213, 0.0247) + 0.286 * lobe(530.9, 0.0613, 0.0322)
    z = 1.217 * lobe(437.0, 0.0845, 0.0278) + 0.681 * lobe(459.0, 0.0385, 0.0725)
    return stimuli @ np.stack([x, y, z]).T @ XYZ_TO_AP1.T


class Sensor:
    """One camera's way from rendered responses to scene-linear AP1, before any encoding."""

    def __init__(self, letter: str) -> None:
        self.letter = letter
        self.first = "ABC".index(letter) * 3
        self.profile = _profile(letter)

    def light(self, responses: np.ndarray, setting: np.ndarray) -> np.ndarray:
        """Responses (H, W, 9) → linear AP1 (H, W, 3) under the white balance of light `setting`."""
        sensor = responses[..., self.first : self.first + 3] * _balance(self.letter, setting)
        return (sensor @ self.profile.T.astype(np.float32)).astype(np.float32)


SETTINGS = {
    "daylight": daylight(5600),
    "cloudy": daylight(6500),
    "tungsten": blackbody(3200),
    "lamps": LIGHTS["lamps"],
}


def noisy(light: np.ndarray, read: float, shot: float, rng: np.random.Generator) -> np.ndarray:
    deviation = np.sqrt(read**2 + shot**2 * np.maximum(light, 0))
    return light + deviation * rng.standard_normal(light.shape, np.float32)


def record_log(light: np.ndarray, camera: LogCamera, rng: np.random.Generator | None) -> np.ndarray:
    """Linear AP1 → code values 0..1 as the camera records them; noiseless if `rng` is None."""
    if rng is not None:
        light = noisy(light, camera.read_noise, camera.shot_noise, rng)
    native = light @ np.linalg.inv(camera.gamut_to_ap1).T.astype(np.float32)
    return np.clip(camera.curve.encode(np.minimum(native, camera.full_well)), 0, 1).astype(np.float32)


AP1_TO_REC709 = np.array(
    [
        [1.7050509, -0.6217921, -0.0832588],
        [-0.1302564, 1.1408048, -0.0105483],
        [-0.0240034, -0.1289690, 1.1529723],
    ]
)


def record_video(light: np.ndarray, gains: np.ndarray, rng: np.random.Generator | None) -> np.ndarray:
    """Linear AP1 → Rec.709 code values of the small camera: white gains, a knee, a contrasty curve."""
    if rng is not None:
        light = noisy(light, 0.0015, 0.004, rng)
    linear = np.maximum((light * gains) @ AP1_TO_REC709.T.astype(np.float32), 0.0) * 1.08
    luma = linear @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    linear = np.maximum(luma[..., None] + 1.15 * (linear - luma[..., None]), 0)
    knee = 0.62
    kneed = np.where(linear > knee, knee + (1 - knee) * (1 - np.exp(-(linear - knee) / (1 - knee) * 0.82)), linear)
    code = np.where(kneed < 0.018, 4.5 * kneed, 1.099 * np.maximum(kneed, 1e-6) ** 0.45 - 0.099)
    return np.clip(code * 1.02 - 0.01, 0, 1).astype(np.float32)
