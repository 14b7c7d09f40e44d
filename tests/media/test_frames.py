"""The store of frames: what it decodes once, what it keeps, and when it stops."""

import threading
from dataclasses import replace

import numpy as np
import pytest

from dovrel.core.measure import limits
from dovrel.demo import cards
from dovrel.media import frames as frames_module
from dovrel.media.faults import MediaFault
from dovrel.media.footage import frames, probe, read_frames, read_recorded
from dovrel.media.frames import FrameStore, Source
from dovrel.media.picture import PLAYING_WIDTH, PREVIEW_WIDTH, SEEN_BYTES, Picture, Seen, shrink, to_picture
from dovrel.media.proxy import proxy_info, writing_proxy


@pytest.fixture(scope="module")
def source() -> Source:
    clip = cards.find("12A-1", cards.SHIPPED)
    return Source(1, clip.path, probe(clip.path), clip.encoding)


@pytest.fixture
def decoded(monkeypatch) -> list[tuple[int, int | None]]:
    """Every frame that is decoded, with the width it is decoded at."""
    seen: list[tuple[int, int | None]] = []

    def counting(path, first, count, info, width=None):
        for number, code in enumerate(read_frames(path, first, count, info, width)):
            seen.append((first + number, width))
            yield code

    monkeypatch.setattr(frames_module, "read_frames", counting)
    return seen


def settled(store: FrameStore) -> None:
    if store._ahead is not None:
        store._ahead.result(timeout=60)


def test_a_frame_is_decoded_once(source, decoded):
    store = FrameStore(reads_ahead=False)
    first = store.preview(source, 10)
    assert store.preview(source, 10) is first
    assert decoded == [(10, PREVIEW_WIDTH)]
    assert first.packed.shape == (540, 960, 3)
    assert store.full(source, 10).packed.shape == (source.info.height, source.info.width, 3)


def test_a_preview_as_wide_as_its_place_comes_from_the_full_frame_if_that_is_there(source, decoded):
    store = FrameStore(reads_ahead=False)
    full = store.full(source, 10)
    wide = store.preview(source, 10, 1120)
    assert wide.packed.shape == (630, 1120, 3)
    assert [width for _, width in decoded] == [source.info.width]
    assert np.array_equal(wide.code, shrink(full.code, 1120))
    assert store.preview(source, 10, 1920) is full


def test_reading_on_does_not_seek_and_keeps_what_lies_between(source, decoded):
    store = FrameStore(reads_ahead=False)
    store.preview(source, 10)
    store.preview(source, 14)
    assert [number for number, _ in decoded] == [10, 11, 12, 13, 14]
    store.preview(source, 12)
    assert len(decoded) == 5


def test_frames_beyond_the_clip_are_its_ends(source):
    store = FrameStore(reads_ahead=False)
    last = source.info.frames - 1
    assert store.preview(source, 10_000) is store.preview(source, last)


def test_what_is_played_is_kept_without_its_codes(source):
    """Half the memory, and the same picture and flags as with them."""
    store = FrameStore(reads_ahead=False)
    played = store.playing(source, 5)
    assert isinstance(played, Seen)
    height = played.packed.shape[0]
    assert played.packed.shape == (height, PLAYING_WIDTH, 3)
    assert played.nbytes == height * PLAYING_WIDTH * SEEN_BYTES
    code = next(read_frames(source.path, 5, 1, source.info, PLAYING_WIDTH))
    assert np.array_equal(played.flags, limits.recorded_flags(code))


def test_a_clip_no_wider_than_it_is_played_keeps_its_codes(source):
    """Its full frame and the one that is played are one and the same."""
    small = replace(source.info.geometry, active=(0.25, 0.25, 0.25 + PLAYING_WIDTH / 1280, 0.75))
    narrow = Source(2, source.path, replace(source.info, geometry=small), source.encoding)
    store = FrameStore(reads_ahead=False)
    assert isinstance(store.playing(narrow, 3), Picture)
    assert store.full(narrow, 3) is store.playing(narrow, 3)


def test_the_oldest_use_goes_first_when_the_store_is_full(source, decoded):
    one = FrameStore(reads_ahead=False).preview(source, 0).nbytes
    store = FrameStore(max_bytes=3 * one, reads_ahead=False)
    decoded.clear()
    for number in (0, 1, 2):
        store.preview(source, number)
    store.preview(source, 0)
    store.preview(source, 3)
    decoded.clear()
    store.preview(source, 0)
    assert decoded == []
    store.preview(source, 1)
    assert (1, PREVIEW_WIDTH) in decoded


def test_a_rest_makes_the_loop_ready(source, decoded):
    """Every frame that is played afterwards is there already, round the end to where it began."""
    store = FrameStore()
    store.make_ready(source, 60)
    settled(store)
    frames = source.info.frames
    assert sorted({number for number, _ in decoded}) == list(range(frames))
    decoded.clear()
    for number in (60, frames - 1, 0, 59):
        store.playing(source, number)
    settled(store)
    assert decoded == []


def test_no_more_is_made_ready_than_the_store_holds(source, decoded):
    height = round(source.info.height * PLAYING_WIDTH / source.info.width)
    one = PLAYING_WIDTH * height * SEEN_BYTES
    store = FrameStore(max_bytes=20 * one)
    store.make_ready(source, 0)
    settled(store)
    assert 10 <= len(decoded) < 20
    decoded.clear()
    store.playing(source, 0)
    assert decoded == []


def test_the_hand_stops_what_is_made_ready(source, monkeypatch):
    begun, go_on = threading.Event(), threading.Event()
    done = []

    def slowly(path, first, count, info, width=None):
        for number, code in enumerate(read_frames(path, first, count, info, width)):
            done.append(first + number)
            begun.set()
            go_on.wait(20)
            yield code

    monkeypatch.setattr(frames_module, "read_frames", slowly)
    store = FrameStore()
    store.make_ready(source, 0)
    assert begun.wait(20)
    store.hold()
    go_on.set()
    settled(store)
    assert len(done) <= 2


def test_a_store_that_does_not_read_ahead_makes_nothing_ready(source, decoded):
    store = FrameStore(reads_ahead=False)
    store.make_ready(source, 0)
    settled(store)
    assert decoded == []


def test_a_fault_met_ahead_is_told_when_the_frame_is_asked_for(source, monkeypatch, tmp_path):
    """Nothing in the background fails for all; the frame itself says what is wrong."""
    broken = tmp_path / "broken.mov"
    broken.write_bytes(source.path.read_bytes()[:60_000])
    cut = Source(3, broken, source.info, source.encoding)
    store = FrameStore()
    store.make_ready(cut, 0)
    settled(store)
    with pytest.raises(MediaFault, match=r"broken\.mov"):
        store.playing(cut, 40)


def test_many_threads_get_the_same_frames(source, decoded):
    store = FrameStore(reads_ahead=False)
    found: dict[int, list[Picture]] = {number: [] for number in range(6)}

    def ask(order):
        for number in order:
            found[number].append(store.preview(source, number))

    threads = [threading.Thread(target=ask, args=(order,)) for order in ([0, 1, 2, 3, 4, 5], [5, 4, 3, 2, 1, 0])]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all(a is b for a, b in found.values())


def test_previews_of_large_clips_come_from_their_proxy(tmp_path):
    """The proxy's picture is what is shown small; the full frame is the recording's own."""
    clip = cards.find("12B-1")
    info = probe(clip.path)
    other = tmp_path / "proxy.mov"
    with writing_proxy(info, other) as proxy:
        for frame in frames(cards.find("12A-3").path, 0, 6, info):
            proxy.add(frame)
    source = Source(1, clip.path, info, clip.encoding, proxy=other)
    store = FrameStore()
    preview, full = store.preview(source, 3), store.full(source, 3)
    from_proxy = to_picture(shrink(read_recorded(other, 3, proxy_info(info, clip.path))), clip.encoding)
    apart = np.abs(preview.packed.astype(int) - from_proxy.packed)
    assert apart.mean() < 8
    assert np.percentile(apart, 99) < 60
    assert np.array_equal(full.packed, to_picture(read_recorded(clip.path, 3, info), clip.encoding).packed)
    wide = FrameStore(reads_ahead=False).preview(source, 3, 1120)
    assert np.abs(wide.code.astype(int) - shrink(full.code, 1120)).mean() < 300  # its proxy shows another shot
