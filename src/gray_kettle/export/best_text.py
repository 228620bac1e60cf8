"""The one answer as text: a paragraph for each radio."""

from gray_kettle.planner.best import Best, Pick, as_good, which_band
from gray_kettle.safe_text import printable

_MOST_NAMED = 3


def best_text(found: tuple[Best, ...]) -> str:
    """Nothing was heard: says what to do."""
    if not found:
        return "Nothing was listened to: take a scan or a capture."
    lines: list[str] = []
    for band in dict.fromkeys(answer.band for answer in found):
        its = [answer for answer in found if answer.band == band]
        lines.append(f"{band} GHz")
        for answer in its:
            lines += _radio_lines(answer)
        wrong = dict(pair for answer in its for pair in answer.not_these)
        lines += [f"  not {what}: {printable(why)}" for what, why in wrong.items()]
        lines += [f"  surer by: {what}" for what in dict.fromkeys(a.settles for a in its if a.settles)]
    which = which_band(found)
    return "\n".join([*lines, which] if which else lines)


def _radio_lines(answer: Best) -> list[str]:
    lines = [f"  {printable(answer.name)}: {headline(answer)}"]
    if answer.best is not None:
        lines[0] += f" ({_figures(answer.best)}; sure: {answer.is_sure}, {answer.rests_on})"
    if answer.runner_up is not None:
        label = answer.runner_up.channel.label
        if answer.runner_up_why:
            lines.append(f"    next {label}: {answer.runner_up_why}")
        else:
            lines.append(
                f"    {'as good' if as_good(answer) else 'next'} {label}: {_figures(answer.runner_up)}"
            )
    return lines


def headline(answer: Best) -> str:
    """ "1/20, leave it: it is right", "132/80 instead of 36/80", "11/20"."""
    if answer.best is None:
        return "not listened to"
    if answer.stays:
        return f"{answer.best.channel.label}, leave it: it is right"
    instead = f" instead of {answer.now.label}" if answer.now else ""
    because = f", as {answer.leaves_for}" if answer.leaves_for else ""
    return f"{answer.best.channel.label}{instead}{because}"


def one_line(found: tuple[Best, ...]) -> str:
    """ "2.4 GHz leave it · 5 GHz office 132/80, pier 60/80"; without own radios "2.4 GHz 11/20 · 5 GHz 149/80"."""
    parts = []
    for band in dict.fromkeys(answer.band for answer in found):
        its = [answer for answer in found if answer.band == band and answer.best is not None]
        moving = [answer for answer in its if not answer.stays]
        listed = [
            f"{printable(a.name) + ' ' if a.radio else ''}{a.best.channel.label}"
            for a in moving[:_MOST_NAMED]
            if a.best is not None
        ]
        more = f" and {len(moving) - _MOST_NAMED} more" if len(moving) > _MOST_NAMED else ""
        if its:
            parts.append(f"{band} GHz {', '.join(listed) + more if moving else 'leave it'}")
    return " · ".join(parts)


def _figures(pick: Pick) -> str:
    return f"{100 * pick.clear_air:.0f} % clear air, {pick.expected_mbps:.0f} Mb/s"
