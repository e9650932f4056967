"""Drivers and events beside demand: what is known, what is missing, what they do, what if they change."""

from importlib.resources import files

import veridex as vx

data = files("veridex.demo") / "data"
history = vx.read_history(data / "demand.csv", item="sku", period="month", demand="units").until("2025-08")
drivers = vx.read_drivers([data / "weather.csv", data / "prices.csv"], period="month", known_ahead=["price_index"])
print(drivers, "\n", *drivers.notes)

# Which periods lack which driver, over the history of one item and the year after it?
series = history["frames-pine-50"]
print(drivers.missing(series.item, series.start, len(series) + 12).to_string())

chosen = drivers.chosen(["temperature@1", "change(price_index)"])
print(chosen.over(series.item, series.start, 4).round(2))

events = vx.read_events(data / "events.csv")
columns = events.estimable(series.cadence, series.start, len(series), ahead=12)
print(columns.names, "can be estimated;", *columns.notes)

holidays = vx.read_holidays(["GB-ENG", "GB-SCT"], 2016, 2026)
tidied = vx.tidy(history, events=events + holidays)
print(holidays)
print(tidied.notes)

smoker = history["smoker-01"]
fitted = vx.fit(smoker, "bending-trend drivers=[temperature, price_index]", drivers=drivers, events=events)
print(fitted.in_words(), *fitted.notes)
print(fitted.contributions(3).tail(3).set_index("period").T.to_string(float_format="{:.1f}".format))

dearer = drivers.scenario("prices +5 %", {"price_index": "+5%"}, since="2025-11")
print(fitted.forecast(6).points.round(1), "and with", dearer.name, fitted.forecast(6, drivers=dearer).points.round(1))

rivals = ["arima d=1 q=1 D=1 Q=1", "arima d=1 q=1 D=1 Q=1 drivers=none events=none", "harmonic", "seasonal-naive"]
compared = vx.compare_fits(smoker, rivals, vx.RollingOrigin(horizon=6, origins=6), drivers=drivers, events=events)
print(compared.models[["method", "aicc", "training_rmse", "holdout_rmse"]].round(1).to_string())
print(compared.in_words())
