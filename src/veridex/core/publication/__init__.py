"""Publications: the forecasts of the winners, with the history alongside and the evidence behind them."""
