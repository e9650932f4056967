"""How much worse does it get further ahead? Errors by lead time, training beside holdout, with a sliding window."""

from importlib.resources import files

import veridex as vx

demand = files("veridex.demo") / "data" / "demand.csv"
history = vx.read_history(demand, item="sku", period="month", demand="units").until("2025-08")
lineup = ["seasonal-naive", "trend-season", "holt-winters season=additive damped=yes"]
scheme = vx.RollingOrigin(horizon=12, origins=10, stride=2, window=48)
trial = vx.backtest(vx.History.of([history["smoker-01"], history["jar-honey-500"]]), lineup, scheme)

by_step = trial.scores(by=["method", "step"]).pivot(index="step", columns="method", values="mase")
print("MASE by lead time\n", by_step.round(2).to_string())
training = trial.scores(by="method", scope="training").set_index("method")["mase"]
holdout = trial.scores(by="method").set_index("method")["mase"]
print(
    "\nMASE in training and on the holdout\n",
    training.to_frame("training").join(holdout.rename("holdout")).round(2).to_string(),
)
