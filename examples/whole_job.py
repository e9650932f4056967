"""The whole job in a dozen lines: from raw demand to a published winner with intervals."""

from importlib.resources import files

import veridex as vx

demand = files("veridex.demo") / "data" / "demand.csv"  # put your own file here
raw = vx.read_history(demand, item="sku", period="month", demand="units", stock_out="out_of_stock")
tidied = vx.tidy(raw, gaps="interpolate")
print(tidied.ledger[["item", "period", "what", "before", "after"]].head(12).to_string())
history = tidied.history
print(vx.stationarity(history["smoker-01"]).reading)
trial = vx.backtest(history, scheme=vx.RollingOrigin(horizon=12))
print(trial.standings()[["rank", "method", "n", "mase", "value_added", "coverage_80"]].round(2).to_string())
verdict = vx.decide(trial)
print(verdict.why("smoker-01"))
publication = vx.publish(history, verdict, horizon=12, levels=(80, 95))
print("written to", *vx.write(publication, ["published", "forecasts.xlsx", "sqlite:///forecasts.db"]))
print(vx.read_publication("sqlite:///forecasts.db"))
