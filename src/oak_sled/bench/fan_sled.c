/* The demo craft's tick in plain C: the same equations in the same order as the compiled kernel of
   the core, written by hand for this one craft, as the yardstick of the benchmark. Double precision,
   no fast maths. Built by the benchmark with cc -O2. */
#include <math.h>
#include <string.h>

enum { PARTS = 7, FIXED = 9, LINES = PARTS + FIXED, CHANNELS = 3, SAMPLES = 181, HEAD = 19 };
enum { FAN, RUDDER, AIR, RUNNERS, BRAKE, BUMPER, LIMITER, GRAVITY, DAMPING, HOLDS, WALLS, EDGE, INTEGRATOR };

typedef struct {
    double mass, inertia[3], half[3], reach, hull_centre[3], foot, contacts, spin_damping;
    double gravity, air_density, wind[3], grip;
    double thrust, reverse, vane, fan_point[3];
    double turn, full_effect_speed;
    double side_grip, curve[SAMPLES], glide, slides_past, grips_below, slide_grip, blend_rate;
    double runner_point[3], spread_x, spread_y;
    double area[3], viscous, air_point[3];
    double bite, brake_point[3];
    double tangential_share, restitution, wall_friction;
    double limit, knee, rate;
    double rise[CHANNELS], fall[CHANNELS], low[CHANNELS];
    double driver_gain, driver_damping, driver_sight;
    double walls, gates, dt;
} Setup;

typedef struct { double x, y, cos, sin, half_length, half_width, top, reach; } Wall;
typedef struct { double x, y, cos, sin, half_width; } Gate;

typedef struct {
    double position[3], q[4], v[3], w[3], axes[3][3], inertia[3][3], inverse[3][3], momentum[3], next_v[3], next_w[3];
    double channels[CHANNELS], inputs[CHANNELS], before[CHANNELS], slide[4], loose[4], rub[4][2];
    double lines[LINES][6], points[PARTS][3], activity[PARTS];
    double heading_x, heading_y, speed, forward, side, load, in_wall, next_gate, gates_missed, moved, time;
} Now;

static void cross(const double *a, const double *b, double *out) {
    double x = a[1] * b[2] - a[2] * b[1], y = a[2] * b[0] - a[0] * b[2], z = a[0] * b[1] - a[1] * b[0];
    out[0] = x; out[1] = y; out[2] = z;
}
static void times(double m[3][3], const double *v, double *out) {
    double x = m[0][0] * v[0] + m[0][1] * v[1] + m[0][2] * v[2];
    double y = m[1][0] * v[0] + m[1][1] * v[1] + m[1][2] * v[2];
    double z = m[2][0] * v[0] + m[2][1] * v[1] + m[2][2] * v[2];
    out[0] = x; out[1] = y; out[2] = z;
}
static void to_craft(double m[3][3], const double *v, double *out) {
    for (int j = 0; j < 3; j++) out[j] = m[0][j] * v[0] + m[1][j] * v[1] + m[2][j] * v[2];
}
static double dot(const double *a, const double *b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }
static double clamp(double v, double low, double high) { return v < low ? low : v > high ? high : v; }

static void refresh(const Setup *s, Now *n) {
    double w = n->q[0], x = n->q[1], y = n->q[2], z = n->q[3];
    double (*a)[3] = n->axes;
    a[0][0] = 1 - 2 * (y * y + z * z); a[0][1] = 2 * (x * y - w * z); a[0][2] = 2 * (x * z + w * y);
    a[1][0] = 2 * (x * y + w * z); a[1][1] = 1 - 2 * (x * x + z * z); a[1][2] = 2 * (y * z - w * x);
    a[2][0] = 2 * (x * z - w * y); a[2][1] = 2 * (y * z + w * x); a[2][2] = 1 - 2 * (x * x + y * y);
    for (int i = 0; i < 3; i++)
        for (int j = i; j < 3; j++) {
            double value = 0;
            for (int k = 0; k < 3; k++) value += a[i][k] * s->inertia[k] * a[j][k];
            n->inertia[i][j] = n->inertia[j][i] = value;
        }
    /* roll and pitch are held: only the yaw block is free */
    memset(n->inverse, 0, sizeof n->inverse);
    n->inverse[2][2] = 1.0 / n->inertia[2][2];
}

static void read_motion(Now *n) {
    double hx = n->axes[0][0], hy = n->axes[1][0], size = sqrt(hx * hx + hy * hy);
    if (size > 1e-9) { n->heading_x = hx / size; n->heading_y = hy / size; }
    n->speed = sqrt(dot(n->v, n->v));
    n->forward = n->v[0] * n->heading_x + n->v[1] * n->heading_y;
    n->side = n->v[1] * n->heading_x - n->v[0] * n->heading_y;
}

static double steer(const Setup *s, const Gate *gates, const Now *n) {
    int count = (int)s->gates, number = (int)n->next_gate < count - 1 ? (int)n->next_gate : count - 1;
    const Gate *gate = gates + number;
    double ax = gate->x, ay = gate->y;
    double nx = gate->x + s->driver_sight * gate->cos, ny = gate->y + s->driver_sight * gate->sin;
    if (number + 1 < count) { nx = gates[number + 1].x; ny = gates[number + 1].y; }
    double away = hypot(gate->x - n->position[0], gate->y - n->position[1]);
    if (n->next_gate >= count) { ax = n->position[0] + gate->cos; ay = n->position[1] + gate->sin; }
    else if (away < s->driver_sight) {
        double share = 0.5 * (1.0 - away / s->driver_sight);
        ax += share * (nx - gate->x); ay += share * (ny - gate->y);
    }
    double dx = ax - n->position[0], dy = ay - n->position[1];
    double ahead = dx * n->heading_x + dy * n->heading_y, left = dy * n->heading_x - dx * n->heading_y;
    return s->driver_gain * atan2(left, ahead) - s->driver_damping * n->w[2];
}

static void shape(const Setup *s, const Gate *gates, Now *n, const double *raw) {
    for (int c = 0; c < CHANNELS; c++) {
        double wanted = c == 1 ? steer(s, gates, n) : raw[c];
        wanted = clamp(wanted, s->low[c], 1.0);
        n->inputs[c] = wanted;
        double value = n->channels[c];
        n->before[c] = value;
        if (value * wanted < 0) wanted = 0;
        double step = s->dt * (fabs(wanted) > fabs(value) ? s->rise[c] : s->fall[c]);
        n->channels[c] = value + clamp(wanted - value, -step, step);
    }
}

static void foresee(const Setup *s, Now *n) {
    for (int i = 0; i < 3; i++) {
        double force = 0, turn = n->momentum[i];
        for (int k = 0; k < PARTS; k++) { force += n->lines[k][i]; turn += s->dt * n->lines[k][3 + i]; }
        n->next_v[i] = n->v[i] + s->dt * force / s->mass;
        n->next_w[i] = turn;
    }
    times(n->inverse, n->next_w, n->next_w);
}

static double shared(const Setup *s, Now *n, const double *lever, const double *way) {
    double turned[3], spun[3];
    cross(lever, way, turned);
    times(n->inverse, turned, spun);
    return 1.0 / fmax(1.0 / s->mass, dot(turned, spun));
}

static double felt(const Setup *s, Now *n, const double *lever, const double *way) {
    double turned[3], spun[3];
    cross(lever, way, turned);
    times(n->inverse, turned, spun);
    return 1.0 / (1.0 / s->mass + dot(turned, spun));
}

static void at_point(Now *n, int p, const double *craft_point) {
    double lever[3], torque[3];
    times(n->axes, craft_point, lever);
    cross(lever, n->lines[p], torque);
    for (int i = 0; i < 3; i++) { n->lines[p][3 + i] = torque[i]; n->points[p][i] = n->position[i] + lever[i]; }
}

static void push(const Setup *s, Now *n) {
    /* fan */
    double level = n->channels[0], share = level >= 0 ? level : level * s->reverse;
    double azimuth = -s->vane * n->channels[1];
    double line[3] = {cos(azimuth), sin(azimuth), 0}, way[3];
    times(n->axes, line, way);
    for (int i = 0; i < 3; i++) n->lines[FAN][i] = share * s->thrust * way[i];
    at_point(n, FAN, s->fan_point);
    n->activity[FAN] = fabs(level);
    /* rudder */
    double some = fabs(n->forward) / s->full_effect_speed;
    double authority = some < 1 ? some : 1;
    if (n->forward < 0) authority = -authority;
    for (int i = 0; i < 3; i++) n->lines[RUDDER][3 + i] = n->channels[1] * authority * s->turn * n->axes[i][2];
    n->activity[RUDDER] = fabs(n->channels[1]);
    /* air */
    double against[3] = {n->v[0] - s->wind[0], n->v[1] - s->wind[1], n->v[2] - s->wind[2]}, c[3], f[3];
    double strength = s->air_density * sqrt(dot(against, against));
    to_craft(n->axes, against, c);
    for (int i = 0; i < 3; i++) f[i] = -(strength * s->area[i] + s->viscous) * c[i];
    times(n->axes, f, n->lines[AIR]);
    at_point(n, AIR, s->air_point);
    /* runners */
    foresee(s, n);
    double hx = n->heading_x, hy = n->heading_y, load = n->load / s->contacts, weights = 0, most = 0, middle[3] = {0, 0, 0};
    double rubbed[2] = {0, 0}, twisted = 0;
    for (int foot = 0; foot < 4; foot++) {
        double place[3] = {s->runner_point[0] + (1.0 - 2.0 * (foot % 2)) * s->spread_x,
                           s->runner_point[1] + (1.0 - 2.0 * (foot / 2)) * s->spread_y, s->runner_point[2]};
        double lever[3];
        times(n->axes, place, lever);
        if (n->position[2] + lever[2] > 0.02) continue;
        double fx = load * n->rub[foot][0], fy = load * n->rub[foot][1];
        rubbed[0] += fx;
        rubbed[1] += fy;
        twisted += lever[0] * fy - lever[1] * fx;
    }
    for (int i = 0; i < 2; i++) n->next_v[i] += s->dt * rubbed[i] / s->mass;
    n->next_w[2] += s->dt * n->inverse[2][2] * twisted;
    for (int foot = 0; foot < 4; foot++) {
        double place[3] = {s->runner_point[0] + (1.0 - 2.0 * (foot % 2)) * s->spread_x,
                           s->runner_point[1] + (1.0 - 2.0 * (foot / 2)) * s->spread_y, s->runner_point[2]};
        double lever[3], swing[3], later[3], ahead_way[3] = {hx, hy, 0}, side_way[3] = {-hy, hx, 0}, torque[3];
        times(n->axes, place, lever);
        if (n->position[2] + lever[2] > 0.02) { n->rub[foot][0] = n->rub[foot][1] = 0; continue; }
        cross(n->w, lever, swing);
        double ux = n->v[0] + swing[0], uy = n->v[1] + swing[1];
        double along = ux * hx + uy * hy, side = uy * hx - ux * hy;
        cross(n->next_w, lever, later);
        double nx = n->next_v[0] + later[0], ny = n->next_v[1] + later[1];
        double along_next = nx * hx + ny * hy, side_next = ny * hx - nx * hy;
        double crawl = 0.25 - fabs(along) - fabs(side);
        double slip = atan2(fabs(side), fabs(along) + (crawl > 0 ? crawl : 0));
        if (slip > s->slides_past) n->loose[foot] = 1;
        else if (slip < s->grips_below) n->loose[foot] = 0;
        double step = s->blend_rate * s->dt;
        n->slide[foot] += clamp(n->loose[foot] - n->slide[foot], -step, step);
        if (n->slide[foot] > most) most = n->slide[foot];
        double grip = s->grip * (1.0 - n->slide[foot] * (1.0 - s->slide_grip));
        double share = 1.0 / s->contacts / s->dt;
        double before_side = load * (n->rub[foot][1] * hx - n->rub[foot][0] * hy);
        double before_along = load * (n->rub[foot][0] * hx + n->rub[foot][1] * hy);
        double holds_side = before_side - share * shared(s, n, lever, side_way) * side_next;
        double holds_along = before_along - share * shared(s, n, lever, ahead_way) * along_next;
        double at = slip * (2.0 * 180.0 / 3.14159265358979323846);
        int low = (int)at < SAMPLES - 2 ? (int)at : SAMPLES - 2;
        double rest = at - low;
        double bite = s->side_grip * load * (s->curve[low] * (1 - rest) + s->curve[low + 1] * rest) * grip;
        double cap = s->side_grip * load * grip;
        double stick = 1.0 - (fabs(along) + fabs(side)) / 0.25;
        bite = fmin(fmax(bite, stick * cap), cap);
        bite = clamp(holds_side, -bite, bite);
        double most_drag = s->glide * load * s->grip, drag = clamp(holds_along, -most_drag, most_drag);
        double force[3] = {drag * hx - bite * hy, drag * hy + bite * hx, 0};
        n->rub[foot][0] = force[0] / load;
        n->rub[foot][1] = force[1] / load;
        cross(lever, force, torque);
        double size = sqrt(force[0] * force[0] + force[1] * force[1]) + 1e-9;
        weights += size;
        n->lines[RUNNERS][0] += force[0];
        n->lines[RUNNERS][1] += force[1];
        for (int i = 0; i < 3; i++) { n->lines[RUNNERS][3 + i] += torque[i]; middle[i] += size * lever[i]; }
    }
    for (int i = 0; i < 3; i++) n->points[RUNNERS][i] = n->position[i] + (weights > 0 ? middle[i] / weights : 0);
    n->activity[RUNNERS] = most;
    /* brake */
    double press = fmin(fabs(n->channels[2]), 1.0);
    foresee(s, n);
    if (press > 0 && n->load > 0) {
        double lever[3], swing[3];
        times(n->axes, s->brake_point, lever);
        cross(n->next_w, lever, swing);
        double ux = n->next_v[0] + swing[0], uy = n->next_v[1] + swing[1], speed = sqrt(ux * ux + uy * uy);
        if (speed > 0) {
            double dir[3] = {ux / speed, uy / speed, 0};
            double size = fmin(press * s->bite * n->load * s->grip, felt(s, n, lever, dir) * speed / s->dt);
            n->lines[BRAKE][0] = -size * dir[0];
            n->lines[BRAKE][1] = -size * dir[1];
            at_point(n, BRAKE, s->brake_point);
        }
        n->activity[BRAKE] = press;
    }
}

static void hold(const Setup *s, Now *n) {
    double true_momentum[3];
    n->lines[HOLDS][2] -= s->mass * n->v[2] / s->dt;
    n->v[2] = 0;
    times(n->inertia, n->w, true_momentum);
    for (int i = 0; i < 2; i++) {
        n->lines[HOLDS][3 + i] += (true_momentum[i] - n->momentum[i]) / s->dt;
        n->momentum[i] = true_momentum[i];
    }
}

/* depth of the hull's box in a wall; the demo drill keeps clear, so the answer to a touch is left out */
static double touch(const Setup *s, Now *n, const Wall *wall) {
    double centre[3];
    times(n->axes, s->hull_centre, centre);
    double x = n->position[0] + centre[0], y = n->position[1] + centre[1], z = n->position[2] + centre[2];
    double near = s->reach + wall->reach, dx = x - wall->x, dy = y - wall->y;
    if (dx * dx + dy * dy > near * near) return -1e30;
    double rise = 0, least = 1e30;
    for (int k = 0; k < 3; k++) rise += fabs(n->axes[2][k]) * s->half[k];
    if (z - rise > wall->top) return -1e30;
    for (int k = 0; k < 5; k++) {
        double ax = k == 0 ? wall->cos : k == 1 ? -wall->sin : -n->axes[1][k - 2];
        double ay = k == 0 ? wall->sin : k == 1 ? wall->cos : n->axes[0][k - 2];
        double size = hypot(ax, ay), span = 0;
        if (size < 1e-6) continue;
        ax /= size; ay /= size;
        for (int i = 0; i < 3; i++) span += fabs(n->axes[0][i] * ax + n->axes[1][i] * ay) * s->half[i];
        span += wall->half_length * fabs(wall->cos * ax + wall->sin * ay) + wall->half_width * fabs(wall->cos * ay - wall->sin * ax);
        double overlap = span - fabs((x - wall->x) * ax + (y - wall->y) * ay);
        if (overlap <= 0) return overlap;
        if (overlap < least) least = overlap;
    }
    return least;
}

static int tick(const Setup *s, const Wall *walls, const Gate *gates, Now *n, const double *raw) {
    memset(n->lines, 0, sizeof n->lines);
    memset(n->activity, 0, sizeof n->activity);
    for (int p = 0; p < PARTS; p++) memcpy(n->points[p], n->position, sizeof n->position);
    read_motion(n);
    times(n->inertia, n->w, n->momentum);
    shape(s, gates, n, raw);
    n->load = n->position[2] - s->foot <= 0.02 ? s->mass * s->gravity : 0;
    push(s, n);
    n->lines[GRAVITY][2] = -s->mass * s->gravity;
    double x_damp = s->spin_damping * s->dt, kept = exp(-x_damp), driven = (1.0 - kept) / x_damp;
    for (int i = 0; i < 3; i++) {
        double torque = 0;
        for (int k = 0; k <= GRAVITY; k++) torque += n->lines[k][3 + i];
        n->lines[DAMPING][3 + i] = (kept - 1.0) * n->momentum[i] / s->dt + (driven - 1.0) * torque;
    }
    for (int i = 0; i < 3; i++) {
        double force = 0, torque = 0;
        for (int k = 0; k <= DAMPING; k++) { force += n->lines[k][i]; torque += n->lines[k][3 + i]; }
        n->v[i] += s->dt * force / s->mass;
        n->momentum[i] += s->dt * torque;
    }
    times(n->inverse, n->momentum, n->w);
    hold(s, n);
    int touched = 0;
    for (int w = 0; w < (int)s->walls; w++) touched |= touch(s, n, walls + w) > 0;
    n->in_wall = touched;
    double speed = sqrt(dot(n->v, n->v));
    double taken = (speed - (s->limit - s->knee)) * (1.0 - exp(-s->rate * s->dt));
    if (taken > 0) {
        for (int i = 0; i < 3; i++) {
            n->lines[LIMITER][i] -= s->mass * taken * n->v[i] / speed / s->dt;
            n->v[i] -= taken * n->v[i] / speed;
        }
        n->activity[LIMITER] = 1;
    }
    double old_x = n->position[0], old_y = n->position[1];
    for (int i = 0; i < 3; i++) n->position[i] += n->v[i] * s->dt;
    n->moved += sqrt(dot(n->v, n->v)) * s->dt;
    double turned[3] = {n->w[0] * s->dt, n->w[1] * s->dt, n->w[2] * s->dt};
    double angle = sqrt(dot(turned, turned)), cw = 1.0, sw = 0.5;
    if (angle >= 1e-12) { cw = cos(0.5 * angle); sw = sin(0.5 * angle) / angle; }
    double x = turned[0] * sw, y = turned[1] * sw, z = turned[2] * sw, a = n->q[0], b = n->q[1], c = n->q[2], d = n->q[3];
    n->q[0] = cw * a - x * b - y * c - z * d;
    n->q[1] = cw * b + x * a + y * d - z * c;
    n->q[2] = cw * c - x * d + y * a + z * b;
    n->q[3] = cw * d + x * c - y * b + z * a;
    double scale = 1.0 / sqrt(n->q[0] * n->q[0] + n->q[1] * n->q[1] + n->q[2] * n->q[2] + n->q[3] * n->q[3]);
    for (int i = 0; i < 4; i++) n->q[i] *= scale;
    refresh(s, n);
    times(n->inverse, n->momentum, n->w);
    hold(s, n);
    if ((int)n->next_gate < (int)s->gates) {
        const Gate *g = gates + (int)n->next_gate;
        double before = (old_x - g->x) * g->cos + (old_y - g->y) * g->sin;
        double after = (n->position[0] - g->x) * g->cos + (n->position[1] - g->y) * g->sin;
        if (before < 0 && after >= 0) {
            double t = before / (before - after);
            double px = old_x + t * (n->position[0] - old_x), py = old_y + t * (n->position[1] - old_y);
            n->next_gate += 1;
            if (fabs((py - g->y) * g->cos - (px - g->x) * g->sin) > g->half_width) n->gates_missed += 1;
        }
    }
    n->time += s->dt;
    return touched;
}

/* runs up to `ticks` ticks; row k of out is the state after tick k. Returns the ticks done. */
int run(const Setup *s, const Wall *walls, const Gate *gates, const double *start, const double *raw, int ticks, double *out, int width) {
    Now now;
    memset(&now, 0, sizeof now);
    memcpy(now.position, start, sizeof now.position);
    memcpy(now.q, start + 3, sizeof now.q);
    memcpy(now.v, start + 7, sizeof now.v);
    memcpy(now.w, start + 10, sizeof now.w);
    refresh(s, &now);
    for (int k = 0; k < ticks; k++) {
        tick(s, walls, gates, &now, raw + k * CHANNELS);
        double *row = out + (long)k * width;
        memcpy(row, now.position, sizeof now.position);
        memcpy(row + 3, now.q, sizeof now.q);
        memcpy(row + 7, now.v, sizeof now.v);
        memcpy(row + 10, now.w, sizeof now.w);
        row[13] = now.load; row[14] = now.in_wall; row[15] = now.next_gate; row[16] = now.gates_missed;
        row[17] = now.load > 0.0; row[18] = 0.0;
        row += HEAD;
        memcpy(row, now.channels, sizeof now.channels);
        memcpy(row + CHANNELS, now.inputs, sizeof now.inputs);
        memcpy(row + 2 * CHANNELS, now.lines, sizeof now.lines);
        memcpy(row + 2 * CHANNELS + LINES * 6, now.points, sizeof now.points);
        memcpy(row + 2 * CHANNELS + LINES * 6 + PARTS * 3, now.activity, sizeof now.activity);
        if (!(fabs(now.v[0]) + fabs(now.v[1]) < 1e5)) return k + 1;
        read_motion(&now);
        if (now.next_gate >= s->gates) return k + 1;
    }
    return ticks;
}
