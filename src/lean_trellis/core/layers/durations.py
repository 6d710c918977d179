"""How long something takes, in words."""

from __future__ import annotations


def more_in_words(seconds: float) -> str:
    """How much longer something takes, or less; less than a second is as before.

    >>> more_in_words(741.0), more_in_words(-41.4), more_in_words(0.4)
    ('12 min longer', '41 s shorter', 'time as before')
    """
    if abs(seconds) < 1:
        return "time as before"
    return f"{hours_in_words(abs(seconds))} {'longer' if seconds > 0 else 'shorter'}"


def hours_in_words(seconds: float) -> str:
    """`41 s`, `12 min` or `6 h 12`: seconds up to two minutes, then whole minutes, hours with two digits of minutes.

    >>> hours_in_words(41.4), hours_in_words(740), hours_in_words(22_330)
    ('41 s', '12 min', '6 h 12')
    """
    if seconds < 120:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"
