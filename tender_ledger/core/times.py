"""Times in a recording: minutes and seconds as people write them, seconds as they are kept."""

import re

_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,3}):(\d{2}(?:\.\d+)?)$")
_SECONDS = re.compile(r"\d{1,6}(?:\.\d+)?$")


def read_time(text: str) -> float:
    """Seconds from 12:41, 1:02:41 or 761, each with a fraction where one is known. Raises ValueError for anything else."""
    if read := _CLOCK.match(text):
        return int(read[1] or 0) * 3600 + int(read[2]) * 60 + float(read[3])
    if _SECONDS.match(text):
        return float(text)
    raise ValueError(text)


def written_time(seconds: float | None) -> str:
    """Seconds as one would type them: 12:41, with the fraction where there is one; "" for None."""
    if seconds is None:
        return ""
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)}:{int(rest):02}" if float(rest).is_integer() else f"{int(minutes)}:{rest:06.3f}"
