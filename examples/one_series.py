"""One series in a spreadsheet: bare numbers, one method, its words, its coefficients, its forecast."""

import veridex as vx

sold = [31, 28, 45, 62, 71, 58, 40, 33, 25, 22, 24, 29, 34, 30, 49, 66, 78, 61, 44, 35, 28, 23, 26, 31]
sold += [36, 33, 52, 71, 80, 66, 46, 38, 29, 26, 27, 33]
history = vx.History.from_numbers(sold, start="2022-01", cadence="monthly", item="hive stands", unit="stands")

fitted = vx.fit(history, "holt-winters season=multiplicative")
print(fitted.in_words())
print(fitted.equation())
print(fitted.coefficients.head(5).round(3).to_string())
print(fitted.forecast(6, levels=(80, 97.5)).frame.to_string())

# Which form of smoothing fits best, and what the three best methods of thumb say together.
print(vx.fit(history, "smoothing").candidates.head(4).round(2).to_string())
together = vx.fit(history, "combination of=[seasonal-naive, theta, smoothing] weights=median")
print(together.forecast(3).frame[["period", "lower_80", "forecast", "upper_80"]].to_string())

# Save it, and apply the same coefficients when January is known.
again = vx.read_fitted(vx.write(fitted, "model.json"))
newer = vx.History.from_numbers([38], start="2025-01", cadence="monthly", item="hive stands")
print(again.apply(newer).forecast(3).frame[["period", "lower_80", "forecast", "upper_80"]].to_string())
