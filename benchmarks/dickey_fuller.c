/* The plain C twin of Dickey and Fuller's test with lags by AIC, level case; compiled on the spot by benchmarks/twins.py. */
#include <float.h>
#include <math.h>
#include <stdlib.h>

/* Householder QR of rows x columns (column major), the last column being the target; R stays in the upper triangle. */
static void triangle(double *a, long rows, long columns) {
    for (long k = 0; k < columns && k < rows - 1; k++) {
        double *v = a + k * rows, norm = 0;
        for (long i = k; i < rows; i++) norm += v[i] * v[i];
        norm = v[k] > 0 ? -sqrt(norm) : sqrt(norm);
        double head = v[k] - norm, scale = -norm * head;
        v[k] = head;
        for (long j = k + 1; j < columns; j++) {
            double *w = a + j * rows, along = 0;
            for (long i = k; i < rows; i++) along += v[i] * w[i];
            along /= scale;
            for (long i = k; i < rows; i++) w[i] -= along * v[i];
        }
        v[k] = norm;
    }
}

static long fill(const double *y, long n, long lags, long skip, int last_first, double *a) {
    long rows = n - 1 - skip, columns = lags + 3;
    for (long i = 0; i < rows; i++) {
        long t = skip + i;
        a[i] = 1;
        a[(last_first ? 1 : lags + 1) * rows + i] = y[t];
        for (long j = 1; j <= lags; j++) a[((last_first ? j + 1 : j)) * rows + i] = y[t - j + 1] - y[t - j];
        a[(columns - 1) * rows + i] = y[t + 1] - y[t];
    }
    return rows;
}

double dickey_fuller(const double *y, long n, long most, long *chosen) {
    double *a = malloc(8 * n * (most + 3)), best = DBL_MAX;
    long rows = fill(y, n, most, most, 1, a), columns = most + 3;
    triangle(a, rows, columns);
    double left = 0, *target = a + (columns - 1) * rows;
    for (long i = 2; i < columns; i++) left += target[i] * target[i];
    for (long lags = 0; lags <= most; lags++) {
        if (lags) left -= target[lags + 1] * target[lags + 1];
        double criterion = rows * log(left / rows) + 2.0 * (lags + 2);
        if (criterion < best) { best = criterion; *chosen = lags; }
    }
    rows = fill(y, n, *chosen, *chosen, 0, a);
    columns = *chosen + 3;
    triangle(a, rows, columns);
    target = a + (columns - 1) * rows;
    double corner = a[(columns - 2) * rows + columns - 2], rest = target[columns - 1] * target[columns - 1];
    double statistic = target[columns - 2] / sqrt(rest / (rows - columns + 1)) * (corner < 0 ? -1 : 1);
    free(a);
    return statistic;
}
