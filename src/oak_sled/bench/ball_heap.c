/* A heap of balls on level ground in plain C: the contact solver's steps for balls alone, in the same order, as its
   yardstick. Sweep along x, contacts kept over ticks by the point in the axes of the first, projected Gauss-Seidel from
   below upward and back, a shift out of overlaps, rest. Double precision, no fast maths. Built with cc -O2. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { MOST = 64 };
static const double SLOP = 1e-3, TOUCHING = 2e-3, MARGIN = 0.02, BOUNCING = 0.3, AGREED = 5e-6, KNOWN = 0.0009;
static const double SLEEP_SPEED = 0.03, SLEEP_SPIN = 0.06, SLEEP_AFTER = 0.5;

typedef struct {
    double x[3], q[4], axes[3][3], v[3], w[3], shift[3], twist[3], r, mass, spin_mass, still, low[3], high[3];
    int asleep;
} Ball;
typedef struct {
    int a, b, fast;                       /* b of -1: the ground */
    double n[3], t[3], u[3], point[3], local[3], la[3], lb[3], gap, approach, mass, mass_t, mass_u;
    double push, drag_t, drag_u, drag[3], place, wanted;
} Contact;

static double dot(const double *a, const double *b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }
static void cross(const double *a, const double *b, double *out) {
    double x = a[1] * b[2] - a[2] * b[1], y = a[2] * b[0] - a[0] * b[2], z = a[0] * b[1] - a[1] * b[0];
    out[0] = x; out[1] = y; out[2] = z;
}
static void axes_of(Ball *o) {
    double w = o->q[0], x = o->q[1], y = o->q[2], z = o->q[3];
    double m[3][3] = {{1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)},
                      {2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)},
                      {2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)}};
    memcpy(o->axes, m, sizeof m);
}
static void speed_at(const Ball *a, const Ball *b, const Contact *c, double *out) {
    double s[3], o[3];
    cross(a->w, c->la, s);
    for (int i = 0; i < 3; i++) out[i] = a->v[i] + s[i];
    if (c->b < 0) return;
    cross(b->w, c->lb, o);
    for (int i = 0; i < 3; i++) out[i] -= b->v[i] + o[i];
}
static double felt(const Ball *o, const double *lever, const double *way) {
    double arm[3];
    cross(lever, way, arm);
    return 1 / o->mass + dot(arm, arm) / o->spin_mass;
}
static void push(Ball *o, const double *lever, const double *j, double sign) {
    double arm[3];
    cross(lever, j, arm);
    for (int i = 0; i < 3; i++) { o->v[i] += sign * j[i] / o->mass; o->w[i] += sign * arm[i] / o->spin_mass; }
}
static void apply(Ball *all, Contact *c, double n, double t, double u) {
    double j[3];
    for (int i = 0; i < 3; i++) j[i] = n * c->n[i] + t * c->t[i] + u * c->u[i];
    push(&all[c->a], c->la, j, 1);
    if (c->b >= 0) push(&all[c->b], c->lb, j, -1);
}
static double reach_of(const Ball *a, const Ball *b, double dt) {
    double s = 0, turn = sqrt(dot(a->w, a->w)) * a->r + (b ? sqrt(dot(b->w, b->w)) * b->r : 0);
    for (int i = 0; i < 3; i++) { double d = a->v[i] - (b ? b->v[i] : 0); s += d * d; }
    return MARGIN + dt * (sqrt(s) + (turn < 20 ? turn : 20));
}
static void wake(Ball *all, const Contact *c) {
    if (c->gap >= TOUCHING || c->b < 0) return;
    if (all[c->b].asleep && !all[c->a].asleep) { all[c->b].asleep = 0; all[c->b].still = 0; }
    if (all[c->a].asleep) { all[c->a].asleep = 0; all[c->a].still = 0; }
}
static int find(int *roots, int k) {
    while (roots[k] != k) { roots[k] = roots[roots[k]]; k = roots[k]; }
    return k;
}
static const Contact *in_order;
static int by_height(const void *p, const void *q) {
    double a = in_order[*(const int *)p].point[2], b = in_order[*(const int *)q].point[2];
    return a < b ? -1 : a > b ? 1 : *(const int *)p - *(const int *)q;
}

/* balls: x, y, z, radius, mass of each; out: x, y, z of each after every tick. Returns contacts solved in all. */
long run(const double *balls, int count, double gravity, double dt, int ticks, double friction, double *out) {
    Ball *all = calloc(count, sizeof *all);
    int room = 24 * count + 256, *order = malloc(count * sizeof(int)), *turns = malloc(room * sizeof(int));
    int *roots = malloc(count * sizeof(int)), size = 4 * room, *table = malloc(size * sizeof(int));
    Contact *now = calloc(room, sizeof *now), *before = calloc(room, sizeof *before);
    int had = 0;
    long solved = 0;
    for (int k = 0; k < count; k++) {
        Ball *o = &all[k];
        memcpy(o->x, balls + 5 * k, 3 * sizeof(double));
        o->r = balls[5 * k + 3]; o->mass = balls[5 * k + 4]; o->spin_mass = 0.4 * o->mass * o->r * o->r;
        o->q[0] = 1; axes_of(o); order[k] = k;
    }
    for (int tick = 0; tick < ticks; tick++) {
        int found = 0;
        for (int k = 0; k < count; k++) if (!all[k].asleep) all[k].v[2] -= gravity * dt;
        for (int k = 0; k < count; k++) {
            Ball *o = &all[k];
            for (int i = 0; i < 3; i++) {
                double go = o->v[i] * dt;
                o->low[i] = o->x[i] - o->r - MARGIN + (go < 0 ? go : 0);
                o->high[i] = o->x[i] + o->r + MARGIN + (go > 0 ? go : 0);
            }
        }
        for (int k = 1; k < count; k++) {
            int one = order[k], j = k - 1;
            while (j >= 0 && all[order[j]].low[0] > all[one].low[0]) { order[j + 1] = order[j]; j--; }
            order[j + 1] = one;
        }
        for (int k = 0; k < count; k++) {
            int s = order[k];
            Ball *one = &all[s];
            if (!one->asleep && one->low[2] < 0 && one->x[2] - one->r <= reach_of(one, 0, dt) && found < room) {
                Contact *c = &now[found++];
                c->a = s; c->b = -1; c->gap = one->x[2] - one->r;
                c->n[0] = c->n[1] = 0; c->n[2] = 1;
                c->point[0] = one->x[0]; c->point[1] = one->x[1]; c->point[2] = 0.5 * c->gap;
            }
            for (int j = k + 1; j < count; j++) {
                int t = order[j];
                Ball *other = &all[t];
                if (other->low[0] > one->high[0]) break;
                if (other->low[1] > one->high[1] || other->high[1] < one->low[1]) continue;
                if (other->low[2] > one->high[2] || other->high[2] < one->low[2]) continue;
                if (one->asleep && other->asleep) continue;
                int a = s < t ? s : t, b = s < t ? t : s;
                double d[3] = {all[a].x[0] - all[b].x[0], all[a].x[1] - all[b].x[1], all[a].x[2] - all[b].x[2]};
                double apart = sqrt(dot(d, d)), gap = apart - all[a].r - all[b].r;
                if (gap > reach_of(&all[a], &all[b], dt) || found >= room || apart < 1e-9) continue;
                Contact *c = &now[found++];
                c->a = a; c->b = b; c->gap = gap;
                for (int i = 0; i < 3; i++) {
                    c->n[i] = d[i] / apart;
                    c->point[i] = 0.5 * (all[a].x[i] - c->n[i] * all[a].r + all[b].x[i] + c->n[i] * all[b].r);
                }
                wake(all, c);
            }
        }
        for (int k = 0; k < size; k++) table[k] = -1;
        for (int k = 0; k < had; k++) {
            unsigned at = ((unsigned)before[k].a * 2654435761u ^ (unsigned)(before[k].b + 2) * 40503u) % size;
            while (table[at] >= 0) at = (at + 1) % size;
            table[at] = k;
        }
        for (int k = 0; k < found; k++) {
            Contact *c = &now[k];
            Ball *a = &all[c->a], *b = c->b < 0 ? 0 : &all[c->b];
            for (int i = 0; i < 3; i++) {
                c->la[i] = c->point[i] - a->x[i];
                c->lb[i] = b ? c->point[i] - b->x[i] : 0;
            }
            for (int j = 0; j < 3; j++)
                c->local[j] = a->axes[0][j] * c->la[0] + a->axes[1][j] * c->la[1] + a->axes[2][j] * c->la[2];
            c->push = 0; c->drag[0] = c->drag[1] = c->drag[2] = 0;
            unsigned at = ((unsigned)c->a * 2654435761u ^ (unsigned)(c->b + 2) * 40503u) % size;
            while (table[at] >= 0 && (before[table[at]].a != c->a || before[table[at]].b != c->b)) at = (at + 1) % size;
            if (table[at] >= 0) {
                Contact *old = &before[table[at]];
                double away = 0;
                for (int i = 0; i < 3; i++) away += (old->local[i] - c->local[i]) * (old->local[i] - c->local[i]);
                if (away < KNOWN) { c->push = old->push; memcpy(c->drag, old->drag, sizeof c->drag); }
            }
        }
        for (int k = 0; k < found; k++) {
            Contact *c = &now[k];
            Ball *a = &all[c->a], *b = c->b < 0 ? 0 : &all[c->b];
            double x[3] = {1, 0, 0}, y[3] = {0, 1, 0}, s[3];
            cross(c->n, fabs(c->n[0]) < 0.7 ? x : y, c->t);
            double long_ = sqrt(dot(c->t, c->t));
            for (int i = 0; i < 3; i++) c->t[i] /= long_;
            cross(c->n, c->t, c->u);
            c->mass = 1 / (felt(a, c->la, c->n) + (b ? felt(b, c->lb, c->n) : 0));
            c->mass_t = 1 / (felt(a, c->la, c->t) + (b ? felt(b, c->lb, c->t) : 0));
            c->mass_u = 1 / (felt(a, c->la, c->u) + (b ? felt(b, c->lb, c->u) : 0));
            speed_at(a, b, c, s);
            c->approach = dot(s, c->n);
            c->fast = c->approach < -BOUNCING && c->gap > TOUCHING;
            c->drag_t = dot(c->drag, c->t); c->drag_u = dot(c->drag, c->u);
            c->place = 0;
            if (c->fast) c->push = c->drag_t = c->drag_u = 0;
        }
        for (int k = 0; k < found; k++)
            if (now[k].push != 0) apply(all, &now[k], now[k].push, now[k].drag_t, now[k].drag_u);
        for (int k = 0; k < found; k++) turns[k] = k;
        in_order = now;
        qsort(turns, found, sizeof(int), by_height);
        int spare = 2400 / (found > 1 ? found : 1), most = 14 + (spare < 60 ? spare : 60);
        for (int turn = 0; turn < most; turn++) {
            double largest = 0;
            for (int j = 0; j < found; j++) {
                Contact *c = &now[turns[turn % 2 ? found - 1 - j : j]];
                if (c->fast) continue;
                Ball *a = &all[c->a], *b = c->b < 0 ? 0 : &all[c->b];
                double s[3], limit = friction * c->push;
                speed_at(a, b, c, s);
                double t = c->drag_t - c->mass_t * dot(s, c->t), u = c->drag_u - c->mass_u * dot(s, c->u);
                double much = sqrt(t * t + u * u);
                if (much > limit) { t *= limit / much; u *= limit / much; }
                double ct = t - c->drag_t, cu = u - c->drag_u;
                if ((fabs(ct) + fabs(cu)) / c->mass_t > largest) largest = (fabs(ct) + fabs(cu)) / c->mass_t;
                c->drag_t = t; c->drag_u = u;
                if (ct != 0 || cu != 0) { apply(all, c, 0, ct, cu); speed_at(a, b, c, s); }
                double total = c->push + c->mass * (-(c->gap > 0 ? c->gap : 0) / dt - dot(s, c->n));
                if (total < 0) total = 0;
                double change = total - c->push;
                c->push = total;
                if (fabs(change) / c->mass > largest) largest = fabs(change) / c->mass;
                if (change != 0) apply(all, c, change, 0, 0);
            }
            if (largest < AGREED) break;
        }
        int busy = 0;
        for (int k = 0; k < count; k++) memset(all[k].shift, 0, 6 * sizeof(double));
        for (int k = 0; k < found; k++) {
            Contact *c = &now[k];
            double s[3], w;
            c->wanted = -1e30;
            if (c->fast) {
                speed_at(&all[c->a], c->b < 0 ? 0 : &all[c->b], c, s);
                c->wanted = -c->gap / dt - dot(s, c->n);
            } else if (c->gap < -SLOP) {
                w = 0.2 * (-c->gap - SLOP) / dt;
                c->wanted = w < 2 ? w : 2;
            }
            busy |= c->wanted > 0;
        }
        for (int round = 0; busy && round < 6; round++)
            for (int k = 0; k < found; k++) {
                Contact *c = &now[k];
                if (c->wanted < -1e29) continue;
                Ball *a = &all[c->a], *b = c->b < 0 ? 0 : &all[c->b];
                double s[3], arm[3], speed;
                cross(a->twist, c->la, s);
                speed = dot(a->shift, c->n) + dot(s, c->n);
                if (b) { cross(b->twist, c->lb, s); speed -= dot(b->shift, c->n) + dot(s, c->n); }
                double total = c->place + c->mass * (c->wanted - speed);
                if (total < 0) total = 0;
                double change = total - c->place;
                c->place = total;
                cross(c->la, c->n, arm);
                for (int i = 0; i < 3; i++) {
                    a->shift[i] += change * c->n[i] / a->mass;
                    a->twist[i] += change * arm[i] / a->spin_mass;
                }
                if (!b) continue;
                cross(c->lb, c->n, arm);
                for (int i = 0; i < 3; i++) {
                    b->shift[i] -= change * c->n[i] / b->mass;
                    b->twist[i] -= change * arm[i] / b->spin_mass;
                }
            }
        solved += found;
        for (int k = 0; k < found; k++) {
            Contact *c = &now[k];
            for (int i = 0; i < 3; i++) c->drag[i] = c->drag_t * c->t[i] + c->drag_u * c->u[i];
        }
        memcpy(before, now, found * sizeof *now);
        had = found;
        for (int k = 0; k < count; k++) {
            Ball *o = &all[k];
            roots[k] = k;
            if (o->asleep) continue;
            int slow = sqrt(dot(o->v, o->v)) < SLEEP_SPEED && sqrt(dot(o->w, o->w)) < SLEEP_SPIN;
            o->still = slow ? o->still + dt : 0;
        }
        for (int k = 0; k < found; k++)
            if (now[k].push != 0 && now[k].b >= 0) roots[find(roots, now[k].a)] = find(roots, now[k].b);
        for (int k = 0; k < count; k++) {
            Ball *root = &all[find(roots, k)];
            if (all[k].still < root->still) root->still = all[k].still;
        }
        for (int k = 0; k < count; k++) {
            Ball *o = &all[k];
            double still = all[find(roots, k)].still;
            if (o->asleep) continue;
            if (still < o->still) o->still = still + dt < o->still ? still + dt : o->still;
            if (still >= SLEEP_AFTER) { o->asleep = 1; memset(o->v, 0, 6 * sizeof(double)); }
        }
        for (int k = 0; k < count; k++) {
            Ball *o = &all[k];
            if (!o->asleep) {
                for (int i = 0; i < 3; i++) o->x[i] += dt * (o->v[i] + o->shift[i]);
                double w[3] = {o->w[0] + o->twist[0], o->w[1] + o->twist[1], o->w[2] + o->twist[2]};
                double turn = sqrt(dot(w, w)) * dt;
                if (turn > 0) {
                    double s = sin(0.5 * turn) / turn * dt, c = cos(0.5 * turn), *q = o->q;
                    double x = s * w[0], y = s * w[1], z = s * w[2];
                    double p[4] = {c * q[0] - x * q[1] - y * q[2] - z * q[3], c * q[1] + x * q[0] + y * q[3] - z * q[2],
                                   c * q[2] - x * q[3] + y * q[0] + z * q[1], c * q[3] + x * q[2] - y * q[1] + z * q[0]};
                    memcpy(o->q, p, sizeof p);
                    axes_of(o);
                }
            }
            memcpy(out + 3 * ((long)tick * count + k), o->x, 3 * sizeof(double));
        }
    }
    free(all); free(order); free(turns); free(roots); free(table); free(now); free(before);
    return solved;
}
