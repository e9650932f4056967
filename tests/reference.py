"""Small published series, and slow computations that share no code with the package."""

import numpy as np
from scipy.linalg import toeplitz
from scipy.signal import lfilter

# Annual flow of the Nile at Aswan, 1871-1970, in 10^8 cubic metres: Cobb (1978), Biometrika 65, 243-251;
# Durbin and Koopman (2012), Time Series Analysis by State Space Methods, 2nd ed., section 2.2.5.
NILE = np.array(
    """1120 1160 963 1210 1160 1160 813 1230 1370 1140 995 935 1110 994 1020 960 1180 799 958 1140 1100 1210 1150 1250
    1260 1220 1030 1100 774 840 874 694 940 833 701 916 692 1020 1050 969 831 726 456 824 702 1120 1100 832 764 821
    768 845 864 862 698 845 744 796 1040 759 781 865 845 944 984 897 822 1010 771 676 649 846 812 742 801 1040 860
    874 848 890 744 749 838 1050 918 986 797 923 975 815 1020 906 901 1170 912 746 919 718 714 740""".split(),
    dtype=float,
)

# Level of Lake Huron in feet, 1875-1972, less 570: Brockwell and Davis (2002), Introduction to Time Series and
# Forecasting, 2nd ed., data set LAKE.
LAKE_HURON = np.array(
    """10.38 11.86 10.97 10.80 9.79 10.39 10.42 10.82 11.40 11.32 11.44 11.68 11.17 10.53 10.01 9.91 9.14 9.16 9.55
    9.67 8.44 8.24 9.10 9.09 9.35 8.82 9.32 9.01 9.00 9.80 9.83 9.72 9.89 10.01 9.37 8.69 8.19 8.67 9.55 8.92 8.09
    9.37 10.13 10.14 9.51 9.24 8.66 8.86 8.05 7.79 6.75 6.75 7.82 8.64 10.58 9.48 7.38 6.90 6.94 6.24 6.84 6.85 6.90
    7.79 8.18 7.51 7.23 8.42 9.61 9.05 9.26 9.22 9.38 9.10 7.95 8.12 9.75 10.85 10.41 9.96 9.61 8.76 8.18 7.21 7.13
    9.10 8.25 7.91 6.89 5.96 6.80 7.68 8.38 8.52 9.74 9.31 9.89 9.96""".split(),
    dtype=float,
)


# Dow-Jones utilities index on 78 days of 1972: Brockwell and Davis (2002), data set DOWJ.
DOW_JONES = np.array(
    """110.94 110.69 110.43 110.56 110.75 110.84 110.46 110.56 110.46 110.05 109.60 109.31 109.31 109.25 109.02
    108.54 108.77 109.02 109.44 109.38 109.53 109.89 110.56 110.56 110.72 111.23 111.48 111.58 111.90 112.19
    112.06 111.96 111.68 111.36 111.42 112.00 112.22 112.70 113.15 114.36 114.65 115.06 115.86 116.40 116.44
    116.88 118.07 118.51 119.28 119.79 119.70 119.28 119.66 120.14 120.97 121.13 121.55 121.96 122.26 123.79
    124.11 124.14 123.37 123.02 122.86 123.02 123.11 123.05 123.05 122.83 123.18 122.67 122.73 122.86 122.67
    122.09 122.00 121.23""".split(),
    dtype=float,
)

# Yields of 70 batches of a chemical process: Box and Jenkins (1976), Time Series Analysis, 2nd ed., series F.
YIELDS = np.array(
    """47 64 23 71 38 64 55 41 59 48 71 35 57 40 58 44 80 55 37 74 51 57 50 60 45 57 50 45 25 59 50 71 56 74 50
    58 45 54 36 54 48 55 45 57 50 62 44 64 43 52 38 59 55 41 53 49 34 35 54 45 68 38 50 60 39 59 40 57 54 23""".split(),
    dtype=float,
)

# Concentrations of a chemical process every two hours, in tenths: Box and Jenkins (1976), series A.
CONCENTRATIONS = np.array(
    """170 166 163 161 171 169 168 174 171 170 167 174 172 174 174 170 173 172 174 168 171 174 174 175 174 176
    174 173 170 178 175 181 175 174 174 171 176 177 174 178 176 175 165 178 173 173 171 174 169 173 176 169
    167 168 168 172 168 176 172 166 171 169 166 180 172 173 170 169 173 168 173 174 177 168 169 170 169 170
    166 167 168 167 164 165 164 166 165 167 164 164 162 164 163 164 170 169 171 171 167 169 165 172 164 170
    170 167 162 166 169 165 166 166 170 171 171 167 168 163 166 168 169 171 168 170 172 173 172 173 172 172
    175 169 169 169 170 165 167 168 167 167 166 165 170 167 167 169 174 171 170 168 172 172 174 172 169 168
    170 174 172 172 171 171 171 174 172 169 169 170 167 169 173 178 178 176 175 170 169 171 172 174 175 179
    170 170 170 172 173 174 174 170 180 182 176 178 177 172 174""".split(),
    dtype=float,
)


def dense_arma(z, phi, theta, ahead=0):
    """Exact log-likelihood (variance concentrated out), predictions and their variances from the full covariance.

    Autocovariances come from 3,000 psi weights, enough for the roots the tests use.
    """
    psi = np.zeros(3000)
    for h in range(psi.size):
        psi[h] = 1.0 if h == 0 else (theta[h - 1] if h <= len(theta) else 0.0)
        psi[h] += sum(phi[j] * psi[h - 1 - j] for j in range(min(len(phi), h)))
    n = len(z)
    covariance = toeplitz([psi[: psi.size - k] @ psi[k:] for k in range(n + ahead)])
    known = covariance[:n, :n]
    total = z @ np.linalg.solve(known, z)
    _, log_det = np.linalg.slogdet(known)
    likelihood = -0.5 * (n * (np.log(2 * np.pi * total / n) + 1) + log_det)
    weights = np.linalg.solve(known, covariance[:n, n:])
    variances = np.diag(covariance[n:, n:] - covariance[n:, :n] @ weights)
    return likelihood, weights.T @ z, variances


def dense_arima(y, small, seasonal, differences, m, constant, terms=3000):
    """Exact log-likelihood of the known values of an ARIMA model given the first that differencing takes.

    `small` and `seasonal` are pairs (ar, ma); `differences` is (d, D). The whole covariance of the known values, which
    are sums of the stationary ones, is written out.
    """
    phi = np.convolve(np.r_[1, -np.array(small[0])], _spread(-np.array(seasonal[0]), m))
    theta = np.convolve(np.r_[1, np.array(small[1])], _spread(np.array(seasonal[1]), m))
    gaps = np.ones(1)
    for step in [1] * differences[0] + [m] * differences[1]:
        gaps = np.convolve(gaps, np.r_[1, np.zeros(step - 1), -1])
    first, n = gaps.size - 1, y.size - gaps.size + 1
    psi = np.zeros(terms)
    psi[0] = 1
    psi = lfilter(theta, phi, psi)
    covariance = toeplitz([psi[: psi.size - k] @ psi[k:] for k in range(n)])
    column = np.zeros(n)
    column[: min(gaps.size, n)] = gaps[:n]
    summing = np.linalg.inv(toeplitz(column, np.zeros(n)))
    start = np.concatenate((y[:first], np.zeros(n)))
    carried = np.array([gaps[1:] @ start[t - first : t][::-1] if first else 0.0 for t in range(first, y.size)])
    mean, covariance = summing @ (constant - carried), summing @ covariance @ summing.T
    known = ~np.isnan(y[first:])
    e, v = (y[first:] - mean)[known], covariance[np.ix_(known, known)]
    total, size = e @ np.linalg.solve(v, e), e.size
    return -0.5 * (size * (np.log(2 * np.pi * total / size) + 1) + np.linalg.slogdet(v)[1])


def _spread(coefficients, m):
    full = np.zeros(m * coefficients.size + 1)
    full[0] = 1
    full[m::m] = coefficients
    return full


def slow_smoothing(y, alpha, beta, gamma, phi, level, slope, season, kind):
    """The textbook component form of exponential smoothing, in plain Python; `beta` is Holt's constant.

    `kind` is the season's: none, additive or multiplicative. Returns forecasts, last level, slope and season.
    """
    season, fitted = list(season), []
    m = len(season)
    for t, value in enumerate(y):
        base, s = level + phi * slope, season[t % m]
        fitted.append(base * s if kind == "multiplicative" else base + (s if kind == "additive" else 0.0))
        if np.isnan(value):
            level, slope = base, phi * slope
            continue
        seen = value / s if kind == "multiplicative" else value - (s if kind == "additive" else 0.0)
        new = alpha * seen + (1 - alpha) * base
        slope = beta * (new - level) + (1 - beta) * phi * slope
        if kind != "none":
            season[t % m] = gamma * (value - base if kind == "additive" else value / base) + (1 - gamma) * s
        level = new
    return np.array(fitted), level, slope, season


def slow_likelihood(y, fitted, error):
    """Log-likelihood of forecasts with normal errors, additive or relative, the variance at its best."""
    known = ~np.isnan(y)
    errors = (y - fitted)[known] / (fitted[known] if error == "multiplicative" else 1.0)
    logs = np.log(fitted[known]).sum() if error == "multiplicative" else 0.0
    return -0.5 * errors.size * (np.log(2 * np.pi * np.mean(errors**2)) + 1) - logs
