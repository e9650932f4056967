/* The plain C twin of the exact ARMA likelihood by a Schur recursion; compiled on the spot by benchmarks/twins.py. */
#include <math.h>
#include <string.h>

#define MOST 64

static int generators(long p, const double *phi, long q, const double *theta, double *g, double *h) {
    long top = p > q ? p : q;
    double a[MOST] = {1}, c[MOST] = {0}, down[MOST], old[MOST], k[MOST] = {0}, tops[MOST] = {0}, b[MOST] = {0};
    for (long j = 0; j < p; j++) a[j + 1] = -phi[j];
    for (long lag = 0; lag <= q; lag++)
        for (long j = 0; j + lag <= q; j++)
            c[lag] += (j ? theta[j - 1] : 1) * (j + lag ? theta[j + lag - 1] : 1);
    memcpy(down, a, sizeof a);
    for (long n = top; n > 0; n--) {
        tops[n] = c[n];
        for (long j = 0; j < n; j++) c[n - j] -= tops[n] * down[j];
        c[0] -= 2 * tops[n] * down[n];
        k[n] = down[n];
        if (!(fabs(k[n]) < 1)) return 0;
        double rest = 1 - k[n] * k[n];
        memcpy(old, down, sizeof old);
        for (long j = 0; j < n; j++) {
            down[j] = (old[j] - k[n] * old[n - j]) / rest;
            c[j] /= rest;
        }
    }
    b[0] = c[0] / 2;
    for (long n = 1; n <= top; n++) {
        memcpy(old, b, sizeof old);
        for (long j = 0; j <= n; j++) b[j] = old[j] - k[n] * old[n - j];
        b[n] += tops[n];
    }
    for (long j = 0; j <= top; j++) g[j] = b[j] + b[0] * a[j];
    for (long j = 0; j < top; j++) h[j] = b[j + 1] - b[0] * a[j + 1];
    h[top] = 0;
    return 1;
}

static double one(const double *z, long n, long p, const double *phi, long q, const double *theta) {
    long top = p > q ? p : q, settled = 0;
    double g[MOST], h[MOST], ahead[MOST] = {0}, total = 0, logs = 0, product = 1;
    if (!generators(p, phi, q, theta, g, h)) return -INFINITY;
    for (long t = 0; t < n; t++) {
        double v = g[0], w = z[t];
        if (!settled) {
            product *= v;
            if (product > 1e100 || product < 1e-100) {
                logs += log(product);
                product = 1;
            }
        }
        for (long j = 0; j < p && j < t; j++) w -= phi[j] * z[t - 1 - j];
        double e = w - ahead[0], x = e / v;
        for (long j = 1; j < top; j++) ahead[j - 1] = ahead[j] + g[j] * x;
        if (top) ahead[top - 1] = g[top] * x;
        total += e * x;
        if (settled) continue;
        double rho = h[0] / v;
        for (long j = 0; j <= top; j++) {
            double gj = g[j], hj = h[j];
            g[j] = gj - rho * hj;
            if (j) h[j - 1] = hj - rho * gj;
        }
        h[top] = 0;
        if (fabs(g[0] - 1) < 1e-10) {
            settled = 1;
            g[0] = 1;
            for (long j = 1; j <= top; j++) g[j] = j <= q ? theta[j - 1] : 0;
        }
    }
    return -0.5 * n * (log(2 * M_PI * total / n) + 1) - 0.5 * (logs + log(product));
}

double many_likelihoods(
    const double *z, long n, long p, const double *phi, long q, const double *theta, long times
) {
    double last = 0;
    for (long i = 0; i < times; i++) last += one(z, n, p, phi, q, theta);
    return last / times;
}
