"""Drivers and events beside demand: what is known, what is missing, on the cadence of the history."""

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
