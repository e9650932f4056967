/* The plain C twin of core/numerics/loess.py, compiled on the spot by benchmarks/twins.py. */
#include <math.h>
#include <stdlib.h>

static double at(const double *y, long first, long stride, long n, const double *weights, double x, long left,
                 long right, long width) {
    double reach = fmax(x - left, right - x), total = 0, centre = 0, spread = 0, slope = 0, value = 0;
    if (width > n) reach += (width - n) / 2;
    double h9 = 0.999 * reach, h1 = 0.001 * reach;
    for (int pass = 0; pass < 3; pass++) {
        for (long i = left; i <= right; i++) {
            double distance = fabs(i - x);
            if (distance > h9) continue;
            double w = weights[first + stride * i];
            if (distance > h1) {
                double u = distance / reach, cube = 1 - u * u * u;
                w *= cube * cube * cube;
            }
            if (pass == 0) { total += w; centre += w * i; }
            else if (pass == 1) spread += w * (i - centre) * (i - centre);
            else value += w * (1 + slope * (i - centre) * total) / total * y[first + stride * i];
        }
        if (pass == 0) { if (total <= 0) return NAN; centre /= total; }
        if (pass == 1 && spread > 1e-6 * (n - 1.0) * (n - 1.0) * total) slope = (x - centre) / spread;
    }
    return value;
}

static void smooth(const double *y, long first, long stride, long n, long width, long jump, const double *weights,
                   double *out, long beyond) {
    long half = (width - 1) / 2, last = -beyond, place = -beyond;
    double last_value = 0;
    for (;;) {
        long left = 0, right = n - 1;
        if (width < n) {
            left = place - half < 0 ? 0 : place - half;
            if (left > n - width) left = n - width;
            right = left + width - 1;
        }
        double value = at(y, first, stride, n, weights, place, left, right, width);
        if (isnan(value)) value = y[first + stride * (place < 0 ? 0 : place > n - 1 ? n - 1 : place)];
        out[beyond + place] = value;
        if (place > last) {
            double step = (value - last_value) / (place - last);
            for (long i = last + 1; i < place; i++) out[beyond + i] = last_value + step * (i - last);
        }
        last = place;
        last_value = value;
        if (place == n - 1 + beyond) return;
        place = place + jump < n - 1 + beyond ? place + jump : n - 1 + beyond;
    }
}

static long average(const double *y, long n, long length, double *out) {
    double total = 0;
    for (long i = 0; i < length; i++) total += y[i];
    out[0] = total / length;
    for (long i = 1; i <= n - length; i++) out[i] = (total += y[i + length - 1] - y[i - 1]) / length;
    return n - length + 1;
}

static int ascending(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

void decompose(const double *y, long n, long season_length, long season_width, long trend_width, long low_width, long inner,
               long outer, double *trend, double *season, double *weights) {
    long size, wide = n + 2 * season_length;
    double *rest = malloc(8 * n), *turns = malloc(8 * wide), *low = malloc(8 * n), *one = malloc(8 * wide),
           *two = malloc(8 * wide), *phase_out = malloc(8 * (wide / season_length + 3)), *ones = malloc(8 * n),
           *absolute = malloc(8 * n);
    for (long t = 0; t < n; t++) { trend[t] = 0; weights[t] = 1; ones[t] = 1; }
    long j0 = (season_width + 9) / 10, j1 = (trend_width + 9) / 10, j2 = (low_width + 9) / 10;
    for (long turn = 0; turn <= outer; turn++) {
        for (long k = 0; k < inner; k++) {
            for (long t = 0; t < n; t++) rest[t] = y[t] - trend[t];
            for (long phase = 0; phase < season_length; phase++) {
                size = (n - phase - 1) / season_length + 1;
                smooth(rest, phase, season_length, size, season_width, j0, weights, phase_out, 1);
                for (long i = 0; i < size + 2; i++) turns[phase + i * season_length] = phase_out[i];
            }
            size = average(turns, wide, season_length, one);
            size = average(one, size, season_length, two);
            average(two, size, 3, one);
            smooth(one, 0, 1, n, low_width, j2, ones, low, 0);
            for (long t = 0; t < n; t++) { season[t] = turns[t + season_length] - low[t]; rest[t] = y[t] - season[t]; }
            smooth(rest, 0, 1, n, trend_width, j1, weights, trend, 0);
        }
        if (turn == outer) break;
        for (long t = 0; t < n; t++) rest[t] = absolute[t] = fabs(y[t] - trend[t] - season[t]);
        qsort(rest, n, 8, ascending);
        double reach = 3 * (rest[n / 2] + rest[(n - 1) / 2]);
        for (long t = 0; t < n; t++) {
            double u = absolute[t] / reach;
            weights[t] = u <= 0.001 ? 1 : u <= 0.999 ? (1 - u * u) * (1 - u * u) : 0;
        }
    }
    free(rest); free(turns); free(low); free(one); free(two); free(phase_out); free(ones); free(absolute);
}
