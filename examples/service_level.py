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

publication = vx.publish(history, verdict, horizon=6, levels=(80, 95), quantiles=(97.5,), groups=["all"], past=24)
totals = publication.totals
shown = ["name", "step", "lower_80", "forecast", "upper_80", "quantile_97_5", "intervals"]
print("what the next three months together will take, with 97.5 % certainty:")
print(totals[(totals["step"] == 3) & totals["name"].isin(["smoker-01", "all"])][shown].round(0).to_string(index=False))
print("written to", vx.write(publication, "published"))
