"""Record the day: rendered views → camera files in card-like folders, and the true answers.

Run as ``python -m dovrel.demo.record RENDERS CARDS TRUTH ALONG``; needs ffmpeg (development only).
"""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np

from dovrel.core.colour import white
from dovrel.core.colour.working import AP1_LUMA
from dovrel.demo import cameras
from dovrel.demo.cards import card_path
from dovrel.demo.day import REFERENCES, TAKES, Take, steady
from dovrel.demo.scene.spectra import SENSITIVITIES

SIZE = (1280, 720)
RATE = 24
TRUTH_SIZE = (480, 270)
TRUTH_AT = (0.0, 0.95)
"""Parts of a shot at which the true answer is kept."""
ALONG_SIZE = (320, 180)
ALONG_AT = (0.0, 0.25, 0.5, 0.75, 1.0)
"""Parts of a changing shot at which it is kept as it would be had its light stayed."""
_SOFT = 2.2
"""How many pixels what lies behind a figure near the camera is out of focus."""

_MIDDLE = {"Shop, lamps, night": 0.034}
_DEFAULT_MIDDLE = 0.125
"""Log-average luminance of an exactly exposed reference view, where mid grey is 0.18."""


class Views:
    """Rendered responses, mixed by light."""

    def __init__(self, folder: Path) -> None:
        self.load = lru_cache(maxsize=8)(lambda name: np.load(folder / f"{name}.npy"))

    def mixed(self, view: str, mix: dict[str, float]) -> np.ndarray:
        total: np.ndarray | None = None
        for light, amount in mix.items():
            part = self.load(f"{view}.{light}").astype(np.float32) * np.float32(amount)
            total = part if total is None else total + part
        assert total is not None
        return total


def _windowed(picture: np.ndarray, take: Take, t: float, size: tuple[int, int]) -> np.ndarray:
    """The crop of a rendered view (H, W, C) that the camera frames at part `t` of the shot."""
    height, width = picture.shape[:2]
    zoom = take.start.zoom + t * (take.end.zoom - take.start.zoom)
    crop_width, crop_height = SIZE[0] / zoom, SIZE[1] / zoom
    x = (take.start.x + t * (take.end.x - take.start.x)) * (width - crop_width)
    y = (take.start.y + t * (take.end.y - take.start.y)) * (height - crop_height)
    scale = crop_width / size[0]
    matrix = np.array([[scale, 0, x], [0, scale, y]], np.float64)
    source = cv2.GaussianBlur(picture, (0, 0), 0.5 * scale) if scale > 1.5 else picture
    channels = [
        cv2.warpAffine(
            np.ascontiguousarray(source[..., c]), matrix, size,
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
        )
        for c in range(picture.shape[2])
    ]  # fmt: skip
    return np.stack(channels, axis=-1)


def framed(views: Views, take: Take, t: float, size: tuple[int, int], light_at: float | None = None) -> np.ndarray:
    """Responses (H, W, 9) that the camera frames at part `t`, under the lights of `light_at` or of `t` itself."""
    mix = take.mix(t if light_at is None else light_at)
    seen = _windowed(views.mixed(take.view, mix), take, t, size)
    if not take.figure:
        return _flared(seen, take.flare)
    scale = size[0] / SIZE[0]
    seen = cv2.GaussianBlur(seen, (0, 0), _SOFT * scale)
    figure = _walking(views.mixed(take.figure, mix), sum(mix.values()), t, size)
    covers = np.clip(2 * figure[..., 9:] - 1, 0, 1)
    return _flared(seen + covers * (figure[..., :9] - seen), take.flare)


def _walking(figure: np.ndarray, lights: float, t: float, size: tuple[int, int]) -> np.ndarray:
    """A figure (H, W, 10) as it sways towards the camera, its cover brought back to 0..1."""
    scale = size[0] / SIZE[0]
    grown = scale * (1.0 + 0.06 * t)
    x = scale * (70 + 9 * np.sin(2 * np.pi * 1.6 * t * 4 / 2))
    y = scale * (26 + 5 * np.sin(2 * np.pi * 1.6 * t * 4))
    matrix = np.array([[grown, 0, x - 0.06 * t * 640 * scale], [0, grown, y - 0.06 * t * 200 * scale]])
    figure = figure.copy()
    figure[..., 9] /= lights
    soft = cv2.GaussianBlur(figure, (0, 0), 0.5 / scale) if scale < 0.7 else figure
    planes = [
        cv2.warpAffine(np.ascontiguousarray(soft[..., c]), matrix, size, flags=cv2.INTER_LINEAR) for c in range(10)
    ]
    return np.stack(planes, axis=-1)


def _flared(responses: np.ndarray, flare: float) -> np.ndarray:
    return responses + np.float32(flare) * responses.mean(axis=(0, 1)) if flare else responses


@lru_cache(maxsize=1)
def _sensors() -> dict[str, cameras.Sensor]:
    return {letter: cameras.Sensor(letter) for letter in "ABC"}


def family_gain(views: Views, family: str) -> float:
    """What brings the family's reference view to its exact exposure in camera A."""
    take = next(t for t in TAKES if t.name == REFERENCES[family])
    responses = framed(views, take, 0.0, TRUTH_SIZE)
    luminance = _sensors()["A"].light(responses, cameras.SETTINGS[take.setting]) @ AP1_LUMA
    return _MIDDLE.get(family, _DEFAULT_MIDDLE) / float(np.exp(np.log(np.maximum(luminance, 1e-5)).mean()))


def _camera_gain(views: Views, take: Take, sensitivity: dict[str, float]) -> float:
    """Cameras are set so that a grey reads alike in all of them under the reference's light."""
    if take.camera not in sensitivity:
        light = cameras.SETTINGS["daylight"]
        for letter, sensor in _sensors().items():
            grey = np.tile((SENSITIVITIES["A"] @ light)[None, None], (1, 1, 3))
            grey[..., 3:6] = SENSITIVITIES["B"] @ light
            grey[..., 6:9] = SENSITIVITIES["C"] @ light
            sensitivity[letter] = float((sensor.light(grey, light) @ AP1_LUMA).item())
    return sensitivity["A"] / sensitivity[take.camera]


def record(take: Take, views: Views, cards: Path, seed: int) -> Path:
    """Write one take as its camera writes it; returns the file."""
    rng = np.random.default_rng(seed)
    sensor = _sensors()[take.camera]
    gain = family_gain(views, take.family) * 2.0**take.stops * _camera_gain(views, take, {})
    frames = round(take.seconds * RATE)
    path = cards / card_path(take)
    path.parent.mkdir(parents=True, exist_ok=True)
    encoder = subprocess.Popen(_encoder(take, path), stdin=subprocess.PIPE)
    assert encoder.stdin is not None
    for index in range(frames):
        t = index / max(frames - 1, 1)
        light = sensor.light(framed(views, take, t, SIZE), cameras.SETTINGS[take.setting]) * gain
        if take.camera == cameras.VIDEO_CAMERA:
            code = cameras.record_video(light, _wandered(take, t), rng)
        else:
            code = cameras.record_log(light, cameras.LOG_CAMERAS[take.camera], rng)
        encoder.stdin.write((code * 65535 + 0.5).astype("<u2").tobytes())
    encoder.stdin.close()
    if encoder.wait() != 0:
        raise RuntimeError(f"{path.name}: the encoder failed")
    return path


def _encoder(take: Take, path: Path) -> list[str]:
    codec = {
        "A": ["-c:v", "libx265", "-preset", "medium", "-crf", "9", "-g", "12", "-pix_fmt", "yuv422p10le", "-tag:v", "hvc1",
              "-x265-params", "log-level=error:colorprim=bt709:transfer=bt709:colormatrix=bt709:range=limited"],
        "B": ["-c:v", "prores_ks", "-profile:v", "0", "-bits_per_mb", "165", "-vendor", "cv12", "-pix_fmt", "yuv422p10le"],
        "C": ["-c:v", "libx264", "-preset", "medium", "-crf", "16", "-g", "12", "-pix_fmt", "yuv420p"],
    }[take.camera]  # fmt: skip
    make = cameras.VIDEO_MAKE if take.camera == "C" else cameras.LOG_CAMERAS[take.camera].make
    tags = {
        "scene": take.scene,
        "slate": take.name,
        "take": take.name.split("-")[1],
        "camera": take.camera,
        "roll": path.parts[-3],
        "make": make,
        "place": take.family,
    }
    return [
        "ffmpeg", "-hide_banner", "-loglevel", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb48le",
        "-s", f"{SIZE[0]}x{SIZE[1]}", "-r", str(RATE), "-i", "-",
        "-vf", "scale=out_color_matrix=bt709:out_range=tv:flags=accurate_rnd+full_chroma_int",
        "-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709", "-color_range", "tv",
        *codec, "-timecode", take.timecode, "-movflags", "use_metadata_tags+faststart",
        *[part for key, value in tags.items() for part in ("-metadata", f"{key}={value}")],
        "-fflags", "+bitexact", "-flags:v", "+bitexact", str(path),
    ]  # fmt: skip


def write_truth(views: Views, folder: Path) -> None:
    """Keep the true answers: camera A, the reference's light and setting, exactly exposed.

    16-bit PNG files of camera A's code values at 10 bits' precision, and a list of them.
    """
    folder.mkdir(parents=True, exist_ok=True)
    entries = []
    for take in TAKES:
        if take.meant or take.flare or take.by_eye or take.view == "shop-glass":
            continue  # what stands behind tinted glass has no view without it; what was meant otherwise is judged by eye
        reference = next(t for t in TAKES if t.name == REFERENCES[take.family])
        gain = family_gain(views, take.family)
        for t in TRUTH_AT:
            meant = take if take.family == "Yard to shop" else replace(take, mix=steady(**reference.mix(0.0)))
            light = (
                _sensors()["A"].light(framed(views, meant, t, TRUTH_SIZE), cameras.SETTINGS[reference.setting]) * gain
            )
            frame = round(t * (round(take.seconds * RATE) - 1))
            name = f"{take.name}.{frame:03d}.png"
            _write_png(folder / name, cameras.record_log(light, cameras.LOG_CAMERAS["A"], None))
            entries.append({"shot": take.name, "family": take.family, "frame": frame, "file": name,
                            "reference": reference.name})  # fmt: skip
    (folder / "truth.json").write_text(json.dumps(entries, indent=1) + "\n")


def write_along(views: Views, folder: Path, only: str = "") -> None:
    """Keep changing shots as their own cameras would have recorded them had the light, and the camera's white, stayed.

    16-bit PNG files of code values at 10 bits' precision, and a list of them.
    """
    folder.mkdir(parents=True, exist_ok=True)
    entries = []
    for take in TAKES:
        if not take.changes:
            continue
        gain = family_gain(views, take.family) * 2.0**take.stops * _camera_gain(views, take, {})
        for t in ALONG_AT:
            frame = round(t * (round(take.seconds * RATE) - 1))
            name = f"{take.name}.{frame:03d}.png"
            entries.append({"shot": take.name, "frame": frame, "file": name})
            if only not in take.name:
                continue
            responses = framed(views, take, t, ALONG_SIZE, light_at=0.0)
            light = _sensors()[take.camera].light(responses, cameras.SETTINGS[take.setting]) * gain
            if take.camera == cameras.VIDEO_CAMERA:
                code = cameras.record_video(light, _wandered(take, 0.0), None)
            else:
                code = cameras.record_log(light, cameras.LOG_CAMERAS[take.camera], None)
            _write_png(folder / name, code)
    (folder / "along.json").write_text(json.dumps(entries, indent=1) + "\n")


def _write_png(path: Path, code: np.ndarray) -> None:
    quantised = (np.round(code * 1023) * 64).astype(np.uint16)
    cv2.imwrite(str(path), quantised[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 9])


def _wandered(take: Take, t: float) -> np.ndarray:
    """Gains of the camera's automatic white at part `t`."""
    mired = 1e6 / white.NEUTRAL_CCT + take.wander(t)
    return white.gains_for_white(white.scene_white_uv(1e6 / mired, 0.0)).astype(np.float32)


def main(renders: Path, cards: Path, truth: Path, along: Path, only: str = "") -> None:
    """Record the takes whose name holds `only`, all by default, with their true answers along time; all true answers with all."""
    cameras.write_encodings()
    views = Views(renders)
    for seed, take in enumerate(TAKES):
        if only in take.name:
            path = record(take, views, cards, seed)
            print(f"{take.name}: {path.name}, {path.stat().st_size / 1e6:.1f} MB", flush=True)
    write_along(views, along, only)
    if not only:
        write_truth(views, truth)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), Path(sys.argv[3]), Path(sys.argv[4]), *sys.argv[5:6])
