"""From a verdict that a planner overrules once to order quantities: quantiles of lead times and of totals."""

from importlib.resources import files

import veridex as vx

demand = files("veridex.demo") / "data" / "demand.csv"  # put your own file here
raw = vx.read_history(demand, item="sku", period="month", demand="units", stock_out="out_of_stock")
history = vx.tidy(raw, gaps="interpolate").history

scheme = vx.RollingOrigin(horizon=6, origins=12)
tuning = vx.tune(history["smoker-01"], "moving-average", {"window": [2, 3, 4, 6, 12]}, scheme)
print(tuning.frame[["window", "mae", "std_error", "within"]].round(1).to_string())
print(tuning.in_words())

trial = vx.backtest(history, scheme=scheme)
verdict = vx.decide(trial, target="wape under 25", lead_times=[1, 2, 3])
verdict = verdict.override("smoker-02", "seasonal-naive", "its successor comes in spring")
for item in ("smoker-01", "smoker-02", "extractor-bearing"):
    print(verdict.why(item))
table = verdict.intervals
print(table[table["item"] == "smoker-01"].round(1).to_string(index=False))

words = {"horizon": 6, "levels": (80, 95), "quantiles": (97.5, 99), "groups": ["all"], "past": 24}
publication = vx.publish(history, verdict, **words)
totals = publication.totals
shown = ["name", "step", "lower_80", "forecast", "upper_80", "quantile_97_5", "quantile_99", "intervals"]
print("what the next three months together will take, with 97.5 and 99 % certainty:")
print(totals[(totals["step"] == 3) & totals["name"].isin(["smoker-01", "all"])][shown].round(0).to_string(index=False))

spare = publication["extractor-bearing"]
law = spare.law(1)
print(f"extractor-bearing next month: {spare.support.in_words()}, {law.mean:.1f} on average;")
print(f"{law.quantile(95):.0f} are enough in 95 % of months, 4 in {100 * law.cdf(4):.0f} %")
late = vx.publish(history, verdict, **{**words, "totals_from": 3})
need = late["smoker-01"].total_law(5).quantile(97.5)
print(f"smoker-01: a delivery in two months that lasts for three must hold {need:.0f}")
print("written to", vx.write(publication, "published"))
