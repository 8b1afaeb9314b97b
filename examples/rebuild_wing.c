/* A wing with a propeller, rebuilt from docs/laws.md alone: see rebuild_wing.py. cc -O1 -ffp-contract=off rebuild_wing.c -lm */
#include <math.h>
#include <stdio.h>

#define PI 3.14159265358979323846
static const double GRAVITY = 9.81, DENSITY = 1.3, SEA_LEVEL = 1.225, MASS = 400.0, INERTIA = 900.0;

typedef struct { double area, span, incidence, zero_lift, moment, x; } Wing;
static const Wing WING = {9.0, 9.0, 2.0, -2.0, -0.02, 0.1}, TAIL = {2.0, 3.0, 0.0, 0.0, 0.0, -4.0};
static const double SECTION = 6.0, STALL = 16.0, SOFT = 6.0, FRICTION = 0.012, EFFICIENCY = 0.85;
static const double THRUST = 1500.0, PITCH_SPEED = 60.0, RATE = 40.0, DIAMETER = 1.8, LAG = 0.5, FASTEST = 1.3;

static double radians(double angle) { return angle * PI / 180.0; }

static double attached(double slope, double size)
{
    double stall = radians(STALL), soft = radians(SOFT), over = size - (stall - soft);
    return slope * size - (over > 0.0 ? 0.5 * slope * over * over / soft : 0.0);
}

/* Coefficients of lift and drag at rad from no lift: attached, then a flat plate. */
static void polar(const Wing *wing, double angle, double *lift, double *drag)
{
    double aspect = wing->span * wing->span / wing->area, share = SECTION / (2.0 * PI);
    double slope = 2.0 * PI * aspect / (2.0 + sqrt(4.0 + (aspect / share) * (aspect / share)));
    double induced = 1.0 / (PI * EFFICIENCY * aspect), broadside = fmin(1.11 + 0.018 * aspect, 2.0);
    double side = angle < 0.0 ? -1.0 : 1.0, size = fabs(angle), way = 1.0, stall = radians(STALL);
    if (size > 0.5 * PI) { size = PI - size; way = -0.7; }
    if (size <= stall) {
        double l = attached(slope, size);
        *lift = way * side * l;
        *drag = FRICTION + induced * l * l;
        return;
    }
    double s = sin(size), c = cos(size), ss = sin(stall), cs = cos(stall), most = attached(slope, stall);
    double a2 = (most - broadside * ss * cs) * ss / (cs * cs);
    double b2 = (FRICTION + induced * most * most - broadside * ss * ss) / cs;
    *lift = way * side * (broadside * s * c + a2 * c * c / s);
    *drag = broadside * s * s + b2 * c;
}

/* Adds forces ahead and up in craft axes, N, and the torque nose down, N m. u, w : m/s ahead and up, q : rad/s. */
static void wing_force(const Wing *wing, double u, double w, double q, double sum[3])
{
    double turn = radians(wing->incidence), cx = cos(turn), cz = sin(turn), nx = -sin(turn), nz = cos(turn);
    double there = w - q * wing->x, ahead = u * cx + there * cz, down = -(u * nx + there * nz), lift, drag;
    polar(wing, atan2(down, ahead) - radians(wing->zero_lift), &lift, &drag);
    double press = 0.5 * DENSITY * wing->area, speed = sqrt(ahead * ahead + down * down);
    double x = press * speed * (lift * (down * cx + ahead * nx) - drag * (ahead * cx - down * nx));
    double z = press * speed * (lift * (down * cz + ahead * nz) - drag * (ahead * cz - down * nz));
    sum[0] += x;
    sum[1] += z;
    sum[2] += -wing->x * z - press * speed * speed * wing->area / wing->span * wing->moment;
}

int main(void)
{
    double dt = 1.0 / 240.0, rate = 0.0, x = 0.0, z = 0.0, pitch = -radians(3.0), vx = 30.0, vz = 0.0, q = 0.0;
    for (int tick = 0; tick <= 2400; tick++) {
        printf("%.17g %.17g %.17g %.17g %.17g %.17g\n", x, z, pitch, vx, vz, q);
        double c = cos(pitch), s = sin(pitch), u = vx * c - vz * s, w = vx * s + vz * c;
        rate += (RATE - rate) * (1.0 - exp(-dt / LAG));
        double share = u / (rate * DIAMETER) / (PITCH_SPEED / (RATE * DIAMETER));
        double pull = THRUST * DENSITY / SEA_LEVEL * (rate / RATE) * (rate / RATE);
        double sum[3] = {pull * fmax(fmin(1.0 - share, FASTEST), -FASTEST), 0.0, 0.0};
        wing_force(&WING, u, w, q, sum);
        wing_force(&TAIL, u, w, q, sum);
        vx += dt * (sum[0] * c + sum[1] * s) / MASS;
        vz += dt * ((sum[1] * c - sum[0] * s) / MASS - GRAVITY);
        q += dt * sum[2] / INERTIA;
        x += dt * vx;
        z += dt * vz;
        pitch += dt * q;
    }
    return 0;
}
