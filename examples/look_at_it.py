"""A look at one item, cell by cell, as in a notebook: what each view shows, drawn in a line or two.

In a notebook the last line of a cell shows its figure or its table; as a script this writes the figures into `looked`.
"""

# %% the history of an item, and what happened
from importlib.resources import files
from pathlib import Path

import veridex as vx

data, out = files("veridex.demo") / "data", Path("looked")
demand = vx.read_history(data / "demand.csv", item="sku", period="month", demand="units", unit="units")
events = vx.read_events(data / "events.csv")
history = vx.tidy(demand, gaps="interpolate", unfinished="drop", events=events).history
smoker = history["smoker-01"]
vx.figures.save(vx.figures.history(smoker, since="2021", overlay=[12, "theta"], events=events), out / "history.png")

# %% its seasons, its parts, and this year against the last
vx.figures.save(vx.figures.seasons(smoker), out / "seasons.png")
vx.figures.save(vx.figures.parts(smoker, since="2021"), out / "parts.svg")
vx.figures.save(vx.figures.over_years(smoker), out / "over-years.png")
print(vx.decompose(history, form="auto").strengths.round(2).head(5).to_string(index=False))

# %% what differences leave, and how demand goes with the weather
vx.figures.save(vx.figures.stationarity(smoker, transform="log", D=1, lags=36), out / "stationarity.png")
weather = vx.read_drivers(data / "weather.csv", period="month", cadence="monthly")
vx.figures.save(vx.figures.driver(smoker, weather, lags=6), out / "driver.png")

# %% a fit, what it missed, and what its parts add
fitted = vx.fit(smoker, "trend-season")
vx.figures.save(vx.figures.fit(fitted, 12, since="2021"), out / "fit.png")
vx.figures.save(vx.figures.residuals(fitted), out / "residuals.png")
vx.figures.save(vx.figures.contributions(fitted, 12), out / "contributions.png")
print(fitted.to_frame(80).tail(3).round(1).to_string(index=False))

# %% forecasts over the actuals that came: one origin, all of them, one lead time at every origin
lineup = ["seasonal-naive", "theta", "trend-season", "naive"]
trial = vx.backtest(vx.History.of([smoker, history["hive-tool-j"]]), lineup, vx.RollingOrigin(horizon=6, origins=18))
vx.figures.save(vx.figures.holdout(trial, "smoker-01", ["theta", "seasonal-naive"]), out / "holdout.png")
vx.figures.save(vx.figures.holdout(trial, "smoker-01", "theta", origin="all"), out / "all-origins.png")
vx.figures.save(vx.figures.rolling(trial, "smoker-01", "theta", step=3), out / "rolling.png")
vx.figures.save(vx.figures.contenders(trial, "smoker-01", scale=(0, 400)), out / "contenders.png")

# %% how they rank, by lead time too, and what their intervals held
for draw in (vx.figures.standings, vx.figures.lead_times, vx.figures.coverage, vx.figures.folds):
    vx.figures.save(draw(trial), out / f"{draw.__name__}.png")

# %% what is published, alone and in total
verdict = vx.decide(trial)
publication = vx.publish(trial.history, verdict, horizon=12, quantiles=[97.5], groups=["all"])
vx.figures.save(vx.figures.forecast(publication, "smoker-01", since="2022"), out / "forecast.png")
vx.figures.save(vx.figures.total(publication), out / "total.pdf")

# %% several views on one page: each draws into the axes that it is given
from matplotlib.figure import Figure  # noqa: E402

page = Figure(figsize=(13, 8), layout="constrained")
left, right = page.subplots(1, 2)
vx.figures.forecast(publication, "smoker-01", ax=left)
vx.figures.holdout(verdict, "smoker-01", ax=right)
vx.figures.save(page, out / "page.png")
print(f"{len(list(out.iterdir()))} figures in {out}")
