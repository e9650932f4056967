/* The plain C twin of the damped Holt-Winters recursion; compiled on the spot by benchmarks/twins.py. */
#include <math.h>

static double one(const double *y, long n, long kind, const double *row, double *states, double *fitted, double *logs) {
    double alpha = row[0], beta = row[0] * row[1], gamma = row[2], phi = row[3], level = row[4], slope = row[5];
    double *s = states + 2, total = 0, product = 1;
    long phase = 0;
    *logs = 0;
    for (long j = 0; j < 12; j++) s[j] = row[6 + j];
    for (long t = 0; t < n; t++) {
        slope *= phi;
        level += slope;
        double season = s[phase], e, share;
        if (kind == 1) {
            fitted[t] = level + season;
            e = y[t] - fitted[t];
        } else {
            fitted[t] = level * season;
            e = y[t] / season - level;
        }
        if (!isnan(e)) {
            if (kind == 1) {
                total += e * e;
                s[phase] = season + gamma * e;
            } else {
                share = e / level;
                if (!(fitted[t] > 0)) total = INFINITY;
                total += share * share;
                product *= fitted[t];
                if (product > 1e100 || product < 1e-100) {
                    *logs += log(product);
                    product = 1;
                }
                s[phase] = season + gamma * season * share;
            }
            level += alpha * e;
            slope += beta * e;
        }
        if (++phase == 12) phase = 0;
    }
    *logs += log(product);
    states[0] = level;
    states[1] = slope;
    return total;
}

double many_recursions(const double *y, long n, long kind, const double *row, double *states, double *fitted, long times) {
    double sum = 0, logs;
    for (long i = 0; i < times; i++) sum += one(y, n, kind, row, states, fitted, &logs);
    return sum;
}
