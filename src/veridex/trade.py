"""The trade's words for what has another name here: who asks for one is told ours. docs/words.md prints this list."""

from typing import Literal, NamedTuple

__all__ = ["TRADE", "Kind", "TradeWord", "trade_word"]

Kind = Literal["method", "setting", "measure"]


class TradeWord(NamedTuple):
    """What the trade says, how it may be written, and what it is here."""

    kind: Kind
    says: str
    written: tuple[str, ...]
    ours: str


TRADE = (
    TradeWord("method", "average", ("average", "simple-average", "overall-mean"), "mean"),
    TradeWord("method", "random walk", ("random-walk", "last-value", "no-change"), "naive"),
    TradeWord("method", "seasonal random walk", ("seasonal-random-walk", "same-as-last-year"), "seasonal-naive"),
    TradeWord("method", "random walk with drift", ("random-walk-with-drift", "naive-drift"), "drift"),
    TradeWord("method", "naive method with trend", ("naive-trend", "trend-naive"), "last-change"),
    TradeWord("method", "rolling mean", ("rolling-mean", "rolling-average", "sma"), "moving-average window="),
    TradeWord(
        "method",
        "weighted moving average",
        ("weighted-average", "weighted-moving-average", "wma"),
        "moving-average weights=",
    ),
    TradeWord(
        "method",
        "simple exponential smoothing",
        ("ses", "simple-exponential-smoothing", "single-smoothing"),
        "simple-smoothing",
    ),
    TradeWord(
        "method",
        "double exponential smoothing",
        ("double-exponential-smoothing", "double-smoothing", "trend-smoothing"),
        "holt",
    ),
    TradeWord("method", "damped trend", ("damped-trend", "damped-holt"), "holt damped=yes"),
    TradeWord(
        "method",
        "triple exponential smoothing",
        ("triple-exponential-smoothing", "triple-smoothing", "winters"),
        "holt-winters",
    ),
    TradeWord("method", "exponential smoothing", ("exponential-smoothing", "exp-smoothing"), "smoothing"),
    TradeWord("method", "Box-Jenkins model", ("box-jenkins", "arma", "ar", "ma", "ari", "ima"), "arima p= d= q="),
    TradeWord("method", "seasonal ARIMA", ("sarima", "seasonal-arima"), "arima P= D= Q="),
    TradeWord("method", "ARIMA with drivers", ("arimax", "sarimax", "dynamic-regression"), "arima drivers="),
    TradeWord("method", "straight-line trend", ("trend", "linear-regression", "straight-line"), "linear-trend"),
    TradeWord("method", "polynomial trend", ("polynomial", "polynomial-trend", "quadratic"), "poly-trend degree="),
    TradeWord(
        "method",
        "regression on seasonal dummies",
        ("seasonal-dummies", "dummies", "seasonal-regression"),
        "trend-season",
    ),
    TradeWord("method", "Fourier regression", ("fourier", "fourier-terms", "sine", "trigonometric"), "harmonic"),
    TradeWord(
        "method",
        "regression on drivers",
        ("regression", "multiple-regression", "causal", "least-squares"),
        "driver-regression",
    ),
    TradeWord("method", "robust trend", ("robust-trend", "local-trend", "flexible-trend"), "bending-trend"),
    TradeWord("method", "Syntetos-Boylan approximation", ("syntetos-boylan", "croston-sba"), "sba"),
    TradeWord("method", "Teunter-Syntetos-Babai method", ("teunter-syntetos-babai", "croston-tsb"), "tsb"),
    TradeWord("method", "theta model", ("theta-model", "theta-method"), "theta"),
    TradeWord("method", "ensemble", ("ensemble", "average-of-methods", "pooled"), "combination of=[...]"),
    TradeWord("method", "trimmed mean of methods", ("trimmed-mean", "trimmed"), "combination of=[...] weights=trimmed"),
    TradeWord("method", "median of methods", ("median",), "combination of=[...] weights=median"),
    TradeWord("setting", "season length", ("period", "cycle", "seasonality", "m"), "season_length"),
    TradeWord("setting", "season lengths", ("periods", "cycles", "season_lengths"), "seasons"),
    TradeWord("setting", "seasonal form", ("seasonal", "seasonal_form"), "season"),
    TradeWord("setting", "Fourier order", ("order", "terms", "waves", "fourier"), "harmonics"),
    TradeWord("setting", "length of the average", ("length", "span", "n", "size"), "window"),
    TradeWord("setting", "smoothing constant of the level", ("smoothing", "level_constant"), "alpha"),
    TradeWord("setting", "smoothing constant of the trend", ("trend_constant",), "beta"),
    TradeWord("setting", "smoothing constant of the season", ("season_constant",), "gamma"),
    TradeWord("setting", "damping constant", ("damping", "damp"), "phi"),
    TradeWord("setting", "damped trend", ("damped_trend",), "damped=yes"),
    TradeWord("setting", "starting values", ("initial", "initialization", "starts"), "estimate_starts"),
    TradeWord("setting", "region of the constants", ("region", "bounds"), "constants"),
    TradeWord("setting", "information criterion", ("ic", "information_criterion"), "criterion"),
    TradeWord("setting", "transformation", ("transformation", "boxcox", "log"), "transform"),
    TradeWord("setting", "power of Box and Cox", ("lambda", "boxcox_lambda"), "power"),
    TradeWord("setting", "explanatory variables", ("regressors", "covariates", "variables"), "drivers"),
    TradeWord("setting", "constant term", ("drift", "mean"), "constant"),
    TradeWord("setting", "members of a combination", ("methods", "members", "models"), "of"),
    TradeWord("measure", "mean error", ("mean_error",), "me"),
    TradeWord("measure", "mean absolute deviation", ("mad", "mean_absolute_error"), "mae"),
    TradeWord("measure", "mean squared deviation", ("msd", "mean_squared_error"), "mse"),
    TradeWord("measure", "mean absolute percent error", ("mean_absolute_percent_error", "percent_error"), "mape"),
    TradeWord("measure", "weighted absolute percent error", ("wmape", "weighted_mape", "mad_mean_ratio"), "wape"),
    TradeWord("measure", "mean absolute scaled error", ("scaled_error",), "mase"),
    TradeWord("measure", "Theil's U", ("theil", "u"), "theils_u"),
    TradeWord("measure", "quantile loss", ("quantile_loss", "pinball_loss"), "pinball_97_5 and the like"),
    TradeWord("measure", "share of actuals inside the interval", ("coverage", "hit_rate"), "coverage_80 and the like"),
    TradeWord("measure", "mean interval score", ("interval_score", "winkler"), "interval_score_80 and the like"),
    TradeWord("measure", "forecast value added", ("fva", "forecast_value_added"), "value_added"),
)


def trade_word(kind: Kind, word: str) -> TradeWord | None:
    """What the trade means by a word that is none of ours; None where it is no word of the trade either.

    Examples
    --------
    >>> trade_word("method", "SES").ours
    'simple-smoothing'
    """
    plain = word.lower().replace("_", "-").replace(" ", "-")
    return next(
        (one for one in TRADE if one.kind == kind and plain in [w.replace("_", "-") for w in one.written]), None
    )
