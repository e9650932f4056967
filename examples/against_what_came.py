"""What was published, held against what came: a watch, the record of several months, and what a campaign added."""

from importlib.resources import files

import veridex as vx

demand = files("veridex.demo") / "data" / "demand.csv"
whole = vx.read_history(demand, item="sku", period="month", demand="units").until("2025-08")
history = vx.History.of([whole[item] for item in ("smoker-01", "jar-honey-500", "hive-tool-j")])
lineup = ["seasonal-naive", "theta", "holt-winters season=additive damped=yes"]

published = []
for month in ("2024-11", "2024-12", "2025-01", "2025-02"):
    known = history.until(month)
    verdict = vx.decide(vx.backtest(known, lineup, "rolling horizon=6 origins=12"))
    verdict = verdict.override("hive-tool-j", "naive", "Ada Birch: it stays as it is")
    published.append(vx.publish(known, verdict, horizon=6, groups=["all"]))

watch = vx.watch(published[-1], history, false_alerts=0.1)
print(watch.in_words())
print(watch.items[["item", "cost", "signal", "what", "since"]].round(1).to_string(index=False))

record = vx.track_record(published, history)
print(f"\n{record.in_words()}")
print(record.scores("step")[["step", "n", "wape", "relative_mae", "coverage_95"]].round(2).to_string(index=False))

campaign = vx.campaign(history["jar-honey-500"], begins="2025-05", ends="2025-08", lineup=lineup)
print(f"\n{campaign.in_words()}")
print(f"\n{vx.reproduce(published[0], history).in_words()}")
