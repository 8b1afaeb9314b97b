/* Four hover pads under a hull, rebuilt from docs/laws.md alone: no line of it is taken from the program.
   A craft that may move ahead, up and nose up, over level ground: seconds, ticks, height, degrees nose down and speed of
   its start are its arguments. Build it with: cc -O1 -ffp-contract=off rebuild_pads.c -lm */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static const double GRAVITY = 9.81, MASS = 2400.0, INERTIA = 9000.0;
static const double STIFFNESS = 29000.0, DAMPING = 3600.0, REACH = 1.1; /* N/m, N s/m, m */
static const double UP = -0.35, AHEAD = 2.4;                            /* m: two pads ahead of the middle, two behind */

int main(int count, char **given) {
    if (count != 6) {
        fprintf(stderr, "say seconds, ticks, height, degrees nose down and speed\n");
        return 2;
    }
    double dt = 1.0 / atof(given[2]), x = 0.0, z = atof(given[3]), pitch = atof(given[4]) * M_PI / 180.0;
    double vx = atof(given[5]), vz = 0.0, q = 0.0;
    long ticks = lround(atof(given[1]) * atof(given[2]));
    for (long tick = 0; tick <= ticks; tick++) {
        printf("%.17g %.17g %.17g %.17g %.17g %.17g\n", x, z, pitch, vx, vz, q);
        double c = cos(pitch), s = sin(pitch), fx = 0.0, fz = 0.0, torque = 0.0;
        for (int end = 1; end >= -1; end -= 2) {
            double lever_x = end * AHEAD * c + UP * s, lever_z = UP * c - end * AHEAD * s;
            double gap = fmax(z + lever_z, 0.0) / c;
            if (gap >= REACH)
                continue;
            double closing = -(vx + q * lever_z) * s - (vz - q * lever_x) * c;
            double push = fmax(STIFFNESS * (REACH - gap) + DAMPING * closing, 0.0);
            fx += 2.0 * push * s;
            fz += 2.0 * push * c;
            torque += 2.0 * push * (s * lever_z - c * lever_x);
        }
        vx += dt * fx / MASS;
        vz += dt * (fz / MASS - GRAVITY);
        q += dt * torque / INERTIA;
        x += dt * vx;
        z += dt * vz;
        pitch += dt * q;
    }
    return 0;
}
