"""When each picture of a clip is shown, as the file says, and what is odd about that."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

import av
import av.error
import av.stream

FEW_GAPS = 12
"""More gaps than these are a rate that varies, not pictures that are missing."""
_NAMED = 5


@dataclass(frozen=True)
class Timing:
    """The pictures of a clip in the order in which they are shown.

    Attributes
    ----------
    count : how many there are; start : the time stamp of the first, in the stream's time base
    times : the time stamp of every picture; empty where they follow the rate from `start` on
    warnings : what is odd, in sentences that name the frames
    """

    count: int
    start: int
    times: tuple[int, ...]
    warnings: tuple[str, ...]


def timing_of(
    container: av.container.InputContainer, stream: av.video.stream.VideoStream, rate: Fraction, said: int
) -> Timing | None:
    """Read the time stamps of all pictures, without decoding any; `said` is how many the file says there are.

    Pictures before the time nought, of which some containers keep no time stamps, come before all others. None where the
    container has no time stamps, or not of every other picture. The container stands at its end afterwards.
    """
    stamps: list[int] = []
    left_out = unstamped = 0
    for packet in _packets(container, stream):
        if packet.is_discard:
            left_out += 1
            continue
        if packet.pts is None:
            unstamped += 1
        else:
            stamps.append(packet.pts)
    if not stamps or stream.time_base is None:
        return None
    times = sorted(set(stamps))
    step = Fraction(1) / rate / stream.time_base
    if unstamped:
        if times[0] > step:
            return None
        before = [times[0] - round((unstamped - number) * step) for number in range(unstamped)]
        times = [*before, *times]
    return _judged(times, step, said - left_out)


def _packets(container: av.container.InputContainer, stream: av.video.stream.VideoStream) -> Iterator[av.packet.Packet]:
    """All of a stream's packets that hold something; a file that ends in the middle ends here too."""
    try:
        for packet in container.demux(stream):
            if packet.size:
                yield packet
    except av.error.FFmpegError:
        return


def _judged(times: list[int], step: Fraction, said: int) -> Timing:
    start, count = times[0], len(times)
    warnings = []
    if said > count:
        warnings.append(f"the file says {said} frames, and {count} are there: it seems cut short")
    if all(abs(stamp - start - number * step) <= step / 2 for number, stamp in enumerate(times)):
        return Timing(count, start, (), tuple(warnings))
    gaps = [number for number in range(1, count) if times[number] - times[number - 1] > Fraction(3, 2) * step]
    usual = all(abs(times[n] - times[n - 1] - step) <= step / 2 for n in range(1, count) if n not in set(gaps))
    if gaps and usual and len(gaps) <= FEW_GAPS:
        named = ", ".join(str(number) for number in gaps[:_NAMED]) + (" and more" if len(gaps) > _NAMED else "")
        warnings.append(f"pictures are missing in the file before frame {named}; frames are numbered as they are there")
    else:
        warnings.append("the frame rate varies; frames are numbered as they are in the file")
    return Timing(count, start, tuple(times), tuple(warnings))
