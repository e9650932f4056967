"""A watch in sentences."""

from typing import TYPE_CHECKING, Any

from veridex.core.methods.words import counted
from veridex.core.publication.watch.happened import AS_EXPECTED, CHANCE, EITHER, OUTLIER, SHIFT
from veridex.core.readable import number
from veridex.errors import ParameterError

if TYPE_CHECKING:
    from veridex.core.publication.watch.watch import Watch

__all__ = ["in_words", "why"]


def in_words(watch: "Watch") -> str:
    """How many actuals came, how many are out of bounds and how many of them chance explains, who is biased."""
    count, out = len(watch.frame), len(watch.alerts)
    lost = f" {len(watch.missing)} items of it are not in this history." if watch.missing else ""
    if not count:
        return f"No actual has come since the last publication.{lost}"
    if len(watch.corrections):
        lost += f" {len(watch.corrections):,} figures that it knew are others now."
    if watch.priced and (free := int(watch.items["cost"].isna().sum())):
        lost += f" {counted(free, 'item')} without a price: ranked last, and not in what errors cost."
    lost = f"{_biased(watch)}{lost}"
    if watch.tolerance is not None:
        return f"{out:,} of {count:,} actuals are more than {watch.tolerance:g} % off their forecast.{lost}"
    if watch.false_alerts is not None:
        said = f"{out:,} of {count:,} actuals are alerts; chance brings at most {watch.false_alerts:g} a period"
        return f"{said}.{lost}"
    chance = count * (1.0 - watch.level / 100.0)
    return (
        f"{out:,} of {count:,} actuals lie outside their {watch.level:g} % interval; about {chance:,.0f} would by "
        f"chance.{lost}"
    )


def _biased(watch: "Watch") -> str:
    """How many items lie on one side lately, and how many would by chance."""
    known = watch.items["signal"].notna().sum()
    if not known:
        return ""
    chance = known * (1.0 - watch.level / 100.0)
    are = "item is" if (biased := int(watch.items["biased"].sum())) == 1 else "items are"
    return f" {biased:,} {are} biased lately; about {chance:,.1f} would seem so by chance."


def why(watch: "Watch", item: str) -> str:
    """What came of an item against what was published, what happened to it and since when."""
    own = watch.frame[watch.frame["item"] == item]
    if own.empty:
        raise ParameterError("item", repr(item), "nothing of it has come, or nothing was published for it")
    out = own[own["outside"] != ""]
    said = f"{item}: {len(out)} of {len(own)} actuals lie outside their {watch.level:g} % interval"
    far = own.sort_values("chance", kind="stable").iloc[0]
    said += f"; the furthest is {number(far['actual'])} for {number(far['forecast'])}, as far out as "
    said += f"{number(far['chance'], 2)} % of all."
    told = watch.items[watch.items["item"] == item].iloc[0].to_dict()
    parts = [said, _happened(watch, told), _signal(told), _total(watch, item)]
    return " ".join(part for part in parts if part)


def _happened(watch: "Watch", told: dict[Any, Any]) -> str:
    """What explains the alerts of an item."""
    what, sure = told["what"], f"({number(told['sure'], 2)} % sure)"
    if what in ("", AS_EXPECTED):
        return ""
    if what == CHANCE:
        return f"Chance explains that best {sure}."
    when = watch.cadence.text(watch.cadence.period(told["since"]))
    size = f"{number(abs(told['size']), 3)} (standard error {number(told['size_error'], 2)})"
    side = "higher" if told["size"] > 0 else "lower"
    return {
        OUTLIER: f"{when} is an outlier, {size} {side} than it would be {sure}.",
        EITHER: f"{when} is {size} {side} than expected: an outlier, or a shift that begins {sure}.",
        SHIFT: f"Its level is {size} {side} since {when} {sure}.",
    }[what]


def _signal(told: dict[Any, Any]) -> str:
    """Whether forecasts lie on one side lately."""
    if not told["biased"]:
        return ""
    side = "low" if told["signal"] > 0 else "high"
    return (
        f"Lately forecasts are too {side}: the smoothed signal is {number(abs(told['signal']), 2)} standard deviations."
    )


def _total(watch: "Watch", item: str) -> str:
    """What came so far against the law of that."""
    whole = watch.total[watch.total["item"] == item]
    if whole.empty:
        return ""
    row = whole.iloc[0]
    band = f"{number(row['lower'])} to {number(row['upper'])}"
    together = f"In {counted(row['periods'], 'period')} together {number(row['actual'])} came for"
    return f"{together} {number(row['forecast'])} ({band}; {number(row['chance'], 2)} % lie as far out)."
