"""The whole job in ten lines: from order lines to a published winner with intervals."""

from importlib.resources import files

import veridex as vx

orders = files("veridex.demo") / "data" / "orders.csv"  # put your own file here
history = vx.read_history(orders, item="sku", period="order_date", demand="quantity", cadence="monthly")
print(vx.stationarity(history["smoker-01"]).reading)
trial = vx.backtest(history, scheme=vx.RollingOrigin(horizon=12, origins=12))
print(trial.standings()[["rank", "method", "n", "mase", "gain", "coverage_80"]].round(2).to_string())
verdict = vx.decide(trial)
print(verdict.why("smoker-01"))
publication = vx.publish(history, verdict, horizon=12, levels=(80, 95))
print("written to", vx.write(publication, "published"))
