/* The demo sled on level ice, rebuilt from docs/laws.md alone: see rebuild_sled.py. cc -O1 -ffp-contract=off rebuild_sled.c -lm
   On standard input: ticks, ticks a second, m/s at the start, then for each tick the raw throttle, steer and brake. */
#include <math.h>
#include <stdio.h>

#define PI 3.14159265358979323846
static const double MASS = 240.0, WEIGHT = 240.0 * 9.80665, DENSITY = 1.34, CENTRE = 0.05;
static const double KNOTS[6][2] = {{0, 0}, {4, 0.72}, {8, 1.0}, {14, 0.94}, {30, 0.8}, {90, 0.7}};
static const double GRIP = 0.62, GLIDE = 0.018, SLIDE_GRIP = 0.85, BLEND = 0.15, CREEP = 0.25;
static const double RISE[3] = {3.0, 5.0, 6.0}, FALL[3] = {5.0, 7.0, 10.0};
static double curve[181];

static double hold(double value, double least, double most) { return fmin(fmax(value, least), most); }

static double end(double w, double w2, double r, double r2)
{
    double slope = ((2.0 * w + w2) * r - w * r2) / (w + w2);
    if (slope * r <= 0.0) return 0.0;
    return r * r2 <= 0.0 && fabs(slope) > 3.0 * fabs(r) ? 3.0 * r : slope;
}

/* The curve through the knots at 0, 0.5, ... 90 degrees: a monotone cubic. */
static void sample(void)
{
    double wide[5], rise[5], slopes[6];
    for (int k = 0; k < 5; k++) {
        wide[k] = KNOTS[k + 1][0] - KNOTS[k][0];
        rise[k] = (KNOTS[k + 1][1] - KNOTS[k][1]) / wide[k];
    }
    slopes[0] = end(wide[0], wide[1], rise[0], rise[1]);
    slopes[5] = end(wide[4], wide[3], rise[4], rise[3]);
    for (int k = 0; k < 4; k++) {
        double first = 2.0 * wide[k + 1] + wide[k], second = wide[k + 1] + 2.0 * wide[k];
        slopes[k + 1] = rise[k] * rise[k + 1] <= 0.0 ? 0.0 : (first + second) / (first / rise[k] + second / rise[k + 1]);
    }
    for (int n = 0, k = 0; n < 181; n++) {
        while (k < 4 && KNOTS[k + 1][0] <= 0.5 * n) k++;
        double h = wide[k], s = (0.5 * n - KNOTS[k][0]) / h, s2 = s * s, s3 = s2 * s;
        curve[n] = (2 * s3 - 3 * s2 + 1) * KNOTS[k][1] + (s3 - 2 * s2 + s) * h * slopes[k]
                 + (3 * s2 - 2 * s3) * KNOTS[k + 1][1] + (s3 - s2) * h * slopes[k + 1];
    }
}

int main(void)
{
    int ticks;
    double rate, vx, inertia = 240.0 / 12.0 * (2.6 * 2.6 + 1.5 * 1.5);
    if (scanf("%d %lf %lf", &ticks, &rate, &vx) != 3) return 1;
    sample();
    double dt = 1.0 / rate, level[3] = {0, 0, 0}, x = CENTRE, y = 0, turn = 0, vy = 0, w = 0;
    double loose[4] = {0, 0, 0, 0}, share[4] = {0, 0, 0, 0}, last[4][2] = {{0, 0}, {0, 0}, {0, 0}, {0, 0}};
    printf("%.17g %.17g %.17g %.17g %.17g %.17g\n", x, y, turn, vx, vy, w);
    for (int tick = 0; tick < ticks; tick++) {
        for (int n = 0; n < 3; n++) {
            double wanted;
            if (scanf("%lf", &wanted) != 1) return 1;
            if (wanted * level[n] < 0.0) wanted = 0.0;
            double step = dt * (fabs(wanted) > fabs(level[n]) ? RISE[n] : FALL[n]);
            level[n] += hold(wanted - level[n], -step, step);
        }
        double c = cos(turn), s = sin(turn), u = vx * c + vy * s, side = vy * c - vx * s;
        double vane = -10.0 * PI / 180.0 * level[1], push = 620.0 * level[0] * (level[0] < 0.0 ? 0.4 : 1.0);
        double fx = push * cos(vane), fy = push * sin(vane), torque = (-1.0 - CENTRE) * fy;
        torque += 450.0 * level[1] * fmin(fabs(u) / 5.0, 1.0) * (u < 0.0 ? -1.0 : 1.0);
        double fast = DENSITY * hypot(u, side), across_air = 0.5 * 1.05 * 3.1 * fast * side;
        fx -= 0.5 * 1.05 * 1.35 * fast * u;
        fy -= across_air;
        torque -= (-0.15 - CENTRE) * across_air;
        double gone[2] = {0, 0}, spun = torque, load = WEIGHT / 4.0, feet[4][2];
        for (int k = 0; k < 4; k++) {
            feet[k][0] = -0.12 + (k < 2 ? 0.62 : -0.62) - CENTRE;
            feet[k][1] = k % 2 ? -0.6 : 0.6;
            double ahead = last[k][0] * c + last[k][1] * s, left = last[k][1] * c - last[k][0] * s;
            last[k][0] = ahead, last[k][1] = left;
            gone[0] += ahead, gone[1] += left, spun += feet[k][0] * left - feet[k][1] * ahead;
        }
        double u_next = u + dt * (fx + gone[0]) / MASS, side_next = side + dt * (fy + gone[1]) / MASS;
        double w_next = w + dt * spun / inertia;
        for (int k = 0; k < 4; k++) {
            double ahead = feet[k][0], left = feet[k][1], along = u - w * left, across = side + w * ahead;
            double size = fabs(along) + fabs(across), slip = atan2(fabs(across), fabs(along) + fmax(CREEP - size, 0.0));
            loose[k] = slip > 14.0 * PI / 180.0 ? 1.0 : slip < 8.0 * PI / 180.0 ? 0.0 : loose[k];
            share[k] += hold(loose[k] - share[k], -dt / BLEND, dt / BLEND);
            double kept = 1.0 - share[k] * (1.0 - SLIDE_GRIP), place = slip * 360.0 / PI;
            int low = place < 179.0 ? (int)place : 179;
            double bite = GRIP * load * (curve[low] * (1.0 - place + low) + curve[low + 1] * (place - low)) * kept;
            double most = GRIP * load * kept;
            most = fmin(fmax(bite, (1.0 - size / CREEP) * most), most);
            double mass_along = 0.25 / fmax(1.0 / MASS, left * left / inertia);
            double mass_side = 0.25 / fmax(1.0 / MASS, ahead * ahead / inertia);
            double holds = last[k][1] - mass_side * (side_next + w_next * ahead) / dt;
            double drag = hold(last[k][0] - mass_along * (u_next - w_next * left) / dt, -GLIDE * load, GLIDE * load);
            holds = hold(holds, -most, most);
            fx += drag, fy += holds, torque += ahead * holds - left * drag;
            last[k][0] = drag * c - holds * s, last[k][1] = drag * s + holds * c; /* kept in world axes */
        }
        double lever = -0.6 - CENTRE, bu = u + dt * fx / MASS;
        double bv = side + dt * fy / MASS + (w + dt * torque / inertia) * lever, slips = hypot(bu, bv);
        if (level[2] > 0.0 && slips > 0.0) {
            double arm = lever * bv / slips, force = fmin(level[2] * 0.32 * WEIGHT, slips / (1.0 / MASS + arm * arm / inertia) / dt);
            fx -= force * bu / slips, fy -= force * bv / slips, torque -= lever * force * bv / slips;
        }
        vx += dt * (fx * c - fy * s) / MASS, vy += dt * (fx * s + fy * c) / MASS;
        double left_of = exp(-1.2 * dt), speed = hypot(vx, vy);
        w = left_of * w + (1.0 - left_of) / 1.2 * torque / inertia;
        double cut = speed > 14.0 ? 1.0 - (speed - 14.0) * (1.0 - exp(-4.0 * dt)) / speed : 1.0;
        vx *= cut, vy *= cut;
        x += dt * vx, y += dt * vy, turn += dt * w;
        printf("%.17g %.17g %.17g %.17g %.17g %.17g\n", x, y, turn, vx, vy, w);
    }
    return 0;
}
