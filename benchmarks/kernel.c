/* The same work as kernels.cut_moves for a flat cutter on level straight moves: rows of cells, one span a row. */
#include <math.h>
#include <stdint.h>

void cut_lines(float *height, int32_t *cut_by, long ny, long nx, double x_low, double y_low, double cell, double bottom,
               const double *start, const double *end, long n, double radius, double *removed, double *deepest)
{
    for (long m = 0; m < n; m++) {
        double x0 = start[3 * m], y0 = start[3 * m + 1], z0 = start[3 * m + 2];
        double x1 = end[3 * m], y1 = end[3 * m + 1], z1 = end[3 * m + 2];
        double dx = x1 - x0, dy = y1 - y0, length = hypot(dx, dy);
        int upright = length < 1e-9;
        double ux = upright ? 1.0 : dx / length, uy = upright ? 0.0 : dy / length;
        double low_y = fmin(y0, y1), high_y = fmax(y0, y1), z = fmax(fmin(z0, z1), bottom);
        long first = (long)fmax(ceil((low_y - radius - y_low) / cell - 0.5), 0.0);
        long last = (long)fmin(floor((high_y + radius - y_low) / cell - 0.5), ny - 1.0);
        double sum = 0.0, most = 0.0;
        for (long iy = first; iy <= last; iy++) {
            double y = y_low + (iy + 0.5) * cell, left = INFINITY, right = -INFINITY;
            double a = radius * radius - (y - y0) * (y - y0);
            if (a >= 0.0) { double h = sqrt(a); left = x0 - h; right = x0 + h; }
            if (!upright) {
                a = radius * radius - (y - y1) * (y - y1);
                if (a >= 0.0) { double h = sqrt(a); left = fmin(left, x1 - h); right = fmax(right, x1 + h); }
                double low = -INFINITY, high = INFINITY, ry = y - y0;
                if (fabs(uy) > 1e-12) {
                    double e = (ry * ux - radius) / uy, f = (ry * ux + radius) / uy;
                    low = fmax(low, fmin(e, f)); high = fmin(high, fmax(e, f));
                } else if (fabs(ry) > radius) high = -INFINITY;
                if (fabs(ux) > 1e-12) {
                    double e = -ry * uy / ux, f = (length - ry * uy) / ux;
                    low = fmax(low, fmin(e, f)); high = fmin(high, fmax(e, f));
                } else if (ry * uy < 0.0 || ry * uy > length) high = -INFINITY;
                if (low <= high) { left = fmin(left, x0 + low); right = fmax(right, x0 + high); }
            }
            if (left > right) continue;
            long ia = (long)fmax(ceil((left - x_low) / cell - 0.5), 0.0);
            long ib = (long)fmin(floor((right - x_low) / cell - 0.5), nx - 1.0);
            float *row = height + iy * nx;
            int32_t *owner = cut_by + iy * nx;
            for (long ix = ia; ix <= ib; ix++) {
                double gone = row[ix] - z;
                if (gone > 1e-5) {
                    sum += gone;
                    if (gone > most) most = gone;
                    row[ix] = (float)z;
                    owner[ix] = (int32_t)m;
                }
            }
        }
        removed[m] = sum * cell * cell;
        deepest[m] = most;
    }
}
