"""One page for those who install nothing: what is published now, and what has changed since last quarter."""

from importlib.resources import files
from pathlib import Path

import veridex as vx

raw = vx.read_history(
    files("veridex.demo") / "data" / "demand.csv", item="sku", period="month", demand="units", stock_out="out_of_stock"
)
history = vx.tidy(raw, gaps="interpolate").history
few = vx.History.of([history[item] for item in ("smoker-01", "fondant-12kg", "queen-cage", "lid-gold-63")])
lineup, scheme = ["seasonal-naive", "theta", "holt-winters season=additive"], vx.RollingOrigin(horizon=6, origins=24)


def published(known: vx.History) -> tuple[vx.Publication, vx.Verdict]:
    """What the verdict of a backtest publishes, with the total of all items."""
    verdict = vx.decide(vx.backtest(known, lineup, scheme))
    return vx.publish(known, verdict, horizon=6, groups=["all"]), verdict


before, _ = published(few.until("2025-05"))
now, verdict = published(few)
watch = vx.watch(before, few)
page = vx.board(now, verdict, watch, record=vx.track_record(before, few), before=before)
written = Path("board.html")
written.write_text(page, encoding="utf-8")
print(f"{written}: {len(page) / 1e3:.0f} kB, {len(now.items)} items. Open it in any browser.")
print(watch.in_words())
