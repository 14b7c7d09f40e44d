"""Which camera a clip is of, by its tags."""

from __future__ import annotations

_MAKES = ("make", "com.apple.quicktime.make", "com.android.manufacturer", "manufacturer", "company_name")
_MODELS = ("model", "com.apple.quicktime.model", "com.android.model", "product_name")
_NO_CAMERA = ("ffmpeg", "lavf")
"""What writes itself as the maker of a file, and is none of a camera."""


def maker_of(tags: dict[str, str]) -> tuple[str, str]:
    """Make and model of the camera by a clip's tags; empty where they do not say."""
    make = next((tags[key].strip() for key in _MAKES if tags.get(key, "").strip()), "")
    if make.casefold().startswith(_NO_CAMERA):
        return "", ""
    model = next((tags[key].strip() for key in _MODELS if tags.get(key, "").strip()), "")
    return make, model
