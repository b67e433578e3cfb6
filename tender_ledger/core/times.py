"""Times in a recording: minutes and seconds as people write them, seconds as they are kept."""

import re

_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,3}):(\d{2}(?:\.\d+)?)$")
_SECONDS = re.compile(r"(\d{1,6}(?:\.\d+)?)( ?s)?$")
_EITHER = re.compile(r"\d{1,3}\.[0-5]\d$")  # minutes and seconds, or seconds and hundredths


class AmbiguousTime(ValueError):
    """A time that could be minutes and seconds, or seconds with hundredths."""

    def __init__(self, text: str) -> None:
        minutes, rest = text.split(".")
        super().__init__(f"“{text}” could be {minutes} min {rest} s, or {text} seconds. Write {minutes}:{rest}, or {text} s.")


def read_time(text: str) -> float:
    """Seconds from 12:41, 1:02:41, 761 or 761 s, each with a fraction where one is known.

    Raises AmbiguousTime for 1.27, which people write for both, and ValueError for anything else that is no time.
    """
    if _EITHER.match(text):
        raise AmbiguousTime(text)
    if read := _CLOCK.match(text):
        return int(read[1] or 0) * 3600 + int(read[2]) * 60 + float(read[3])
    if read := _SECONDS.match(text):
        return float(read[1])
    raise ValueError(text)


def why_no_time(text: str, error: ValueError) -> str:
    """Why a text is no time, as a sentence that says what to write."""
    if isinstance(error, AmbiguousTime):
        return str(error)
    return f"“{text}” is no time in a recording. Write minutes and seconds, 12:41, or seconds, 761."


def written_time(seconds: float | None) -> str:
    """Seconds as one would type them: 12:41, with the fraction where there is one; "" for None."""
    if seconds is None:
        return ""
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)}:{int(rest):02}" if float(rest).is_integer() else f"{int(minutes)}:{rest:06.3f}"
