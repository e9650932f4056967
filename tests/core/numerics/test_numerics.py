"""Kernels against certified values, closed forms and slow computations; compiled and as plain Python alike."""

import numpy as np
import pytest

from reference import dense_arma
from veridex.core.numerics.arima import arma
from veridex.core.numerics.climb.curvature import observed_errors
from veridex.core.numerics.regression.least_squares import least_squares, triangular_inverse
from veridex.core.numerics.regression.ordinary import ordinary_least_squares


@pytest.mark.parametrize("solve", [least_squares, least_squares.py_func])
def test_least_squares_gives_certified_coefficients(solve):
    # Wampler1 of the NIST StRD linear regression collection: a polynomial of degree 5 through x = 0..20 whose
    # certified coefficients are all one with zero residual; the condition number costs about six digits.
    x = np.arange(21.0)
    design = np.vander(x, 6, increasing=True)
    coefficients = np.empty(6)
    total = solve(design.copy(), design.sum(axis=1), coefficients)
    assert coefficients == pytest.approx(np.ones(6), rel=1e-9)
    assert total < 1e-12


def test_least_squares_covariance_and_dependent_columns():
    rng = np.random.default_rng(1)
    design, target = rng.normal(size=(30, 4)), rng.normal(size=30)
    expected = np.linalg.inv(design.T @ design)
    work, coefficients, inverse = design.copy(), np.empty(4), np.empty((4, 4))
    total = least_squares(work, target.copy(), coefficients)
    triangular_inverse(work, inverse)
    assert inverse @ inverse.T == pytest.approx(expected, rel=1e-10)
    assert total == pytest.approx(np.square(target - design @ coefficients).sum(), rel=1e-12)
    design[:, 3] = design[:, 0] - 2 * design[:, 1]
    assert least_squares(design, target.copy(), coefficients) == -1.0
    assert np.isnan(coefficients).all()


def random_arma(rng, p, q):
    phi, theta = np.empty(p), np.empty(q)
    arma.to_coefficients(rng.normal(size=p), 1.0, phi)
    arma.to_coefficients(rng.normal(size=q), -1.0, theta)
    return phi, theta


@pytest.mark.parametrize(("p", "q"), [(0, 0), (1, 0), (0, 1), (2, 1), (1, 2), (4, 0), (0, 3), (3, 3)])
def test_arma_likelihood_equals_dense_covariance(p, q):
    rng = np.random.default_rng(10 * p + q)
    for n in (5, 40, 120):
        phi, theta = random_arma(rng, p, q)
        z = rng.normal(size=n).cumsum()
        expected = dense_arma(z - 0.5, phi, theta)[0]
        for kernel in (arma.arma_log_likelihood, arma.arma_log_likelihood.py_func):
            # The dense side truncates the moving-average form, which costs it a few digits.
            assert kernel(z, phi, theta, 0.5) == pytest.approx(expected, rel=1e-8)


def test_not_stationary_is_said():
    one = np.array([1.0])
    assert arma.arma_log_likelihood(np.arange(5.0), one, np.empty(0), 0.0) == -np.inf


def test_observed_errors_of_a_known_normal_likelihood():
    covariance = np.array([[4.0, 1.0], [1.0, 9.0]])
    precision = np.linalg.inv(covariance)
    errors = observed_errors(
        lambda u: float(-0.5 * u @ precision @ u), np.zeros(3)[:2], np.array([True, True]), np.array([2.0, 3.0])
    )
    assert errors == pytest.approx([2.0, 3.0], rel=1e-6)


def test_dependent_columns_are_refused():
    x = np.column_stack((np.ones(12), np.arange(12.0), 2 - 3 * np.arange(12.0)))
    assert ordinary_least_squares(x, np.arange(12.0)) is None
