/* One sprung wheel with a tire, driven, steered and braked to a stand, on a craft free in x, y and z: rebuilt from
   docs/laws.md alone. Says x, y, z from the start, their rates and the turn of the wheel: ./wheel SECONDS TICKS */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static const double G = 9.81, MASS = 300, SPEED = 12, DROP = 0.3, STIFF = 20000, BUMP = 1500, REBOUND = 2500, R = 0.4;
static const double GRIP[2] = {0.95, 0.9}, SLOPE[2] = {14, 12}, RELAX[2] = {0.1, 0.3};  /* along it, and to its left */
static const double FACTOR = 1.4, NOMINAL = 4000, SENSE = 0.1, PAST = 12, BELOW = 6, SLIDE_GRIP = 0.8, BLEND = 0.2;
static const double INERTIA = 1.2, ROLLING = 0.015, DEG = 3.14159265358979323846 / 180, TORQUE = 900, BRAKE = 1500;

typedef struct { double steep, top, scale, bend, u[256], v[256]; int side, knots; } Law;
static Law laws[2];
static double turn = 12 / 0.4, slip[2], loose, sliding, dt;

static double share(const Law *l, double slip) { return sin(FACTOR * atan(l->steep * slip)); }
static double arc(const Law *l, double n) { return l->side ? atan(n * l->scale) : n * l->scale; }
static double n_at(const Law *l, double u) { return l->bend * u / (1 - u); }
static double force_at(const Law *l, double u) { return share(l, fmin(arc(l, fmax(n_at(l, u), 1e-7)), l->top)); }

static double at(const Law *l, double u) {
    int i = 0;
    while (i < l->knots - 2 && l->u[i + 1] <= u) i++;
    return l->v[i] + (l->v[i + 1] - l->v[i]) * (u - l->u[i]) / (l->u[i + 1] - l->u[i]);
}

static void build(Law *l, int side) {
    double found = 0;
    l->side = side, l->top = side ? 90 * DEG : 10, l->steep = SLOPE[side] / (FACTOR * GRIP[side]);
    for (int i = 1; i <= 4000; i++)
        if (share(l, pow(i / 4000.0, 3) * l->top) > share(l, found)) found = pow(i / 4000.0, 3) * l->top;
    l->scale = side ? tan(found) : found;
    for (int i = 0; i <= 240; i++) {
        l->bend = 2 * pow(1e6, i / 240.0 - 1);
        if (share(l, arc(l, l->bend / 2)) >= 0.5) break;
    }
    if (l->bend > 0.2) l->bend = 1;
    for (l->knots = 33; l->knots; ) {  /* the stretches that are read worst get a knot in their middle, until none is */
        double worst[256] = {0};
        int split[256] = {0}, more = 0;
        for (int i = 0; i < l->knots && l->knots == 33; i++) l->u[i] = i / 32.0;
        for (int i = 0; i < l->knots; i++) l->v[i] = force_at(l, l->u[i]) / fmax(n_at(l, l->u[i]), 1e-7);
        for (int i = 0; i + 1 < l->knots; i++)
            for (double u, part = 0.25; part < 0.8; part += 0.25) {
                u = l->u[i] + (l->u[i + 1] - l->u[i]) * part;
                worst[i] = fmax(worst[i], fabs(at(l, u) * n_at(l, u) - force_at(l, u)));
            }
        for (int best = 0; more < 16 && l->knots + more < 192; more++, split[best] = 1) {
            best = -1;
            for (int i = 0; i + 1 < l->knots; i++)
                if (!split[i] && worst[i] > 1e-4 && (best < 0 || worst[i] > worst[best])) best = i;
            if (best < 0) break;
        }
        if (!more) return;
        for (int i = l->knots - 2, to = l->knots - 1 + more; i >= 0; i--) {
            l->u[to--] = l->u[i + 1];
            if (split[i]) l->u[to--] = 0.5 * (l->u[i] + l->u[i + 1]);
        }
        l->knots += more;
    }
}

static double spin(double drive, double push, double slope, double brake) {
    double d = INERTIA * turn + dt * (drive - push);
    return (d > 0 ? fmax(d - dt * brake, 0) : fmin(d + dt * brake, 0)) / (INERTIA + dt * slope);
}

static void roll(double load, const double *u, const double *more, double drive, double brake, double *force) {
    double most[2], s[2], held[2], length[2], rate[2], after[2], early[2], soft[2], over[2], slide[2], next[2], left[2];
    double grip = fmax(1 - SENSE * (load / NOMINAL - 1), 0.1) * (1 + (SLIDE_GRIP - 1) * sliding), w = turn;
    for (int i = 0; i < 2; i++) {
        most[i] = GRIP[i] * grip * load, s[i] = laws[i].scale * grip;
        held[i] = slip[i] * RELAX[i], length[i] = RELAX[i] + dt * fabs(u[0]);
    }
    double rho = hypot(slip[0] / s[0], slip[1] / s[1]), before = INFINITY;
    for (int k = 0; k < 5 && fabs(rho - before) >= 1e-4 * (1 + rho); k++) {
        for (int i = 0; i < 2; i++) {
            rate[i] = most[i] / s[i] * at(&laws[i], rho / (laws[i].bend + rho)) / length[i];
            after[i] = dt + fmax(1 - hypot(u[0], u[1]), 0) * sqrt(MASS / rate[i]);
            double stiff = dt * after[i] * rate[i] / MASS;
            early[i] = fmax(1 - 0.5 / stiff, 0), soft[i] = 1 + fmax(stiff - 0.5, 0);
            over[i] = u[i] + early[i] * more[i];
        }
        w = R * rate[0] / soft[0];
        w = spin(drive, w * (held[0] - after[0] * over[0]), w * R * after[0], brake);
        slide[0] = w * R - over[0], slide[1] = -over[1];
        for (int i = 0; i < 2; i++) next[i] = (held[i] + after[i] * slide[i]) / length[i] / soft[i];
        before = rho, rho = hypot(next[0] / s[0], next[1] / s[1]);
    }
    for (int i = 0; i < 2; i++) {
        force[i] = most[i] / s[i] * next[i] * at(&laws[i], rho / (laws[i].bend + rho));
        left[i] = early[i] * dt * rate[i] * length[i] * next[i] / MASS;
        left[i] = next[i] - (after[i] - dt) / length[i] * (slide[i] - left[i]);
    }
    double size = fmax(hypot(force[0] / most[0], force[1] / most[1]), 1), have = hypot(left[0] / s[0], left[1] / s[1]);
    double real = hypot((w * R - u[0]) / s[0], u[1] / s[1]) / fmax(fabs(u[0]), 0.5);
    double kept = fmin(1, fmax(1, real) / fmax(have, 1e-9)), angle = atan(kept * have * s[1]) / DEG;
    slip[0] = kept * left[0], slip[1] = kept * left[1], force[0] /= size, force[1] /= size, turn = w;
    loose = angle > PAST ? 1 : angle < BELOW ? 0 : loose;
    sliding += fmin(fmax(loose - sliding, -dt / BLEND), dt / BLEND);
}

int main(int count, char **given) {
    double x[3] = {0}, v[3] = {SPEED, 0, 0}, pressed = 0, old[2] = {0}, f[2] = {0};
    build(&laws[0], 0), build(&laws[1], 1), dt = 1 / (count > 2 ? atof(given[2]) : 60);
    for (long k = 0; k <= lround(atof(given[1]) / dt); k++) {
        printf("%.17g %.17g %.17g %.17g %.17g %.17g %.17g\n", x[0], x[1], x[2], v[0], v[1], v[2], turn);
        double t = k * dt + 1e-9, steer = 9 * DEG * (t < 0.8 ? 0 : t < 1.6 ? 1 : t < 1.8 ? 0 : t < 2.6 ? -1 : 0);
        double drive = TORQUE * (t >= 0.3 && t < 2), low = MASS * G / STIFF - DROP - x[2], g = dt / MASS;
        double load = STIFF * low - (v[2] < 0 ? BUMP : REBOUND) * v[2], c = cos(steer), s = sin(steer);
        double u[2] = {v[0] * c + v[1] * s, v[1] * c - v[0] * s};
        double more[2] = {g * (old[0] * c + old[1] * s - f[0]), g * (old[1] * c - old[0] * s - f[1])};
        pressed += fmin(fmax((t >= 3) - pressed, -20 * dt), 20 * dt);
        if (load > 0 && low >= 0) roll(load, u, more, drive, BRAKE * pressed + ROLLING * load * R, f);
        else load = f[0] = f[1] = slip[0] = slip[1] = 0, turn = spin(drive, 0, 0, BRAKE * pressed);
        old[0] = f[0] * c - f[1] * s, old[1] = f[0] * s + f[1] * c;
        for (int i = 0; i < 3; i++) x[i] += dt * (v[i] += dt * (i < 2 ? old[i] / MASS : load / MASS - G));
    }
}
