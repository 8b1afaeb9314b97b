"""A game in a terminal that goes with exported C: it runs the craft in real time on a level plane, and speaks the live
link, so that dials of the bench turn it while it runs."""

from __future__ import annotations

from oak_sled.core.portable.alone import Alone
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.words import record_name
from oak_sled.core.yard.craft import Craft


def files(program: Program, alone: Alone) -> dict[str, str]:
    """`live.c` and what builds and runs it, by name."""
    rays = alone.rays() if "foot_hit" in program.kept else range(0)
    numbered = []
    for ray in rays:
        support = alone.machine.world.supports[ray]
        at = ", ".join(repr(float(one)) for one in support["at"])
        reach, radius, aim = float(support["reach"]), float(support["radius"]), int(support["aim"])
        numbered.append(f"    {{{{{at}}}, {reach!r}, {radius!r}, {aim}}},")
    table = _TABLE.replace("ROWS", "\n".join(numbered)).replace("FIRST", str(rays.start)) if numbered else _NO_RAYS
    inputs = []
    ahead, aside = driven(alone.job.craft)
    for place, name in enumerate(program.inputs):
        value = "1.0" if name == ahead else "0.5 * sin(0.7 * t)" if name == aside else "0.0"
        inputs.append(f"        inputs[{place}] = {value}; /* {name} */")
    told = ",".join(f'\\"{name}\\":%.17g' for name in program.inputs)
    values = "".join(f", inputs[{place}]" for place in range(len(program.inputs)))
    text = _LIVE
    for word, by in (
        ("RAYS_OF_IT", table), ("RECORD", record_name(program)), ("CRAFT", program.name), ("TITLE", program.title),
        ("INPUTS", "\n".join(inputs)), ("COUNT", str(max(len(program.inputs), 1))), ("TOLD", told), ("VALUES", values),
        ("ROOM", str(max(len(program.inputs), 1) * 32 + 600)),
    ):  # fmt: skip
        text = text.replace(word, by)
    return {"live.c": text, "run-live.sh": _SCRIPT}


def driven(craft: Craft) -> tuple[str, str]:
    """The channels that a stand-in drives by itself: one that drives ahead, and one that steers; "" for none."""
    ahead = aside = ""
    for part in craft.parts:
        names = [getattr(part, name) for name in type(part).model_fields if name.endswith("channel")]
        known = [name for name in names if name in [one.id for one in craft.channels]]
        if known and part.FAMILY == "drive" and part.shows() in ("ahead", "drive"):
            ahead = ahead or known[0]
        elif known and (part.shows() in ("yaw", "steer") or "steer_channel" in type(part).model_fields):
            aside = aside or known[0]
    return ahead, aside


_NO_RAYS = """static void cast(RECORD *c)
{
    (void)c; /* it casts none */
}
"""
_TABLE = """/* Rays of the craft: where each begins from the centre of mass in craft axes, how far it reaches, the
   radius of what touches, and where it points: 0 down in the craft, 1 down in the world, 2 against the ground. */
static const struct { double at[3], reach, radius; int aim; } RAYS[] = {
ROWS
};

/* What the rays meet on a level plane at height 0. */
static void cast(RECORD *c)
{
    const double w = c->attitude[0], x = c->attitude[1], y = c->attitude[2], z = c->attitude[3];
    const double axes[3][3] = {
        {1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y - w * z), 2.0 * (x * z + w * y)},
        {2.0 * (x * y + w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z - w * x)},
        {2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y)},
    };
    for (size_t k = 0; k < sizeof RAYS / sizeof RAYS[0]; k++) {
        double from[3], way[3], *hit = c->foot_hit[FIRST + k];
        for (int i = 0; i < 3; i++) {
            from[i] = c->position[i];
            for (int j = 0; j < 3; j++) {
                from[i] += axes[i][j] * RAYS[k].at[j];
            }
            way[i] = RAYS[k].aim == 0 ? -axes[i][2] : i == 2 ? -1.0 : 0.0;
        }
        const double over = from[2] > RAYS[k].radius ? from[2] - RAYS[k].radius : 0.0;
        const double far = way[2] < 0.0 ? over / -way[2] + RAYS[k].radius : INFINITY;
        memset(hit, 0, 10 * sizeof *hit);
        if (!(far < RAYS[k].reach)) {
            hit[0] = -1.0;
            continue;
        }
        hit[0] = far;
        hit[3] = 1.0;
        hit[7] = from[0] + (far - RAYS[k].radius) * way[0];
        hit[8] = from[1] + (far - RAYS[k].radius) * way[1];
    }
}
"""
_SCRIPT = """#!/bin/sh
# Builds the game and runs it; its arguments go on to it: [host [port [seconds]]].
set -e
cd "$(dirname "$0")"
out="${TMPDIR:-/tmp}/live_game.$$"
trap 'rm -f "$out"' EXIT
${CC:-cc} -std=c99 -Wall -Werror -O2 -ffp-contract=off -o "$out" live.c -lm
"$out" "$@"
"""
_LIVE = """/* TITLE in a terminal: the exported code in real time on a level plane. It speaks the live link of the bench
   (docs/live-link.md): numbers that are turned there turn here, and the bench is told where the craft is.
   Without a bench it runs all the same, and looks for one each second.

   live [host [port [seconds]]], else 127.0.0.1, 47310, and until it is stopped. */
#define _POSIX_C_SOURCE 200809L
#include "CRAFT.c"

#include <errno.h>
#include <fcntl.h>
#include <netdb.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

static double heard; /* serial of the last change */

RAYS_OF_IT
/* A connection, or -1. */
static int reach(const char *host, const char *port)
{
    struct addrinfo wanted, *found = NULL;
    memset(&wanted, 0, sizeof wanted);
    wanted.ai_socktype = SOCK_STREAM;
    if (getaddrinfo(host, port, &wanted, &found) != 0) {
        return -1;
    }
    int line = socket(found->ai_family, found->ai_socktype, found->ai_protocol);
    if (line >= 0 && connect(line, found->ai_addr, found->ai_addrlen) != 0) {
        close(line);
        line = -1;
    }
    freeaddrinfo(found);
    if (line >= 0) {
        fcntl(line, F_SETFL, O_NONBLOCK);
    }
    return line;
}

/* Takes the numbers of a message: {... "numbers":{"name":value,...}}. */
static void take(RECORD *c, char *text)
{
    char *at = strstr(text, "\\"serial\\":");
    if (at != NULL) {
        heard = strtod(at + 9, NULL);
    }
    if (strstr(text, "\\"type\\":\\"refused\\"") != NULL || strstr(text, "\\"type\\":\\"anew\\"") != NULL) {
        printf("%s\\n", text);
    }
    at = strstr(text, "\\"numbers\\":{");
    for (at = at == NULL ? NULL : at + 11; at != NULL && (at = strchr(at, '"')) != NULL;) {
        char *end = strchr(at + 1, '"');
        if (end == NULL || end[1] != ':') {
            break;
        }
        *end = 0;
        const char *name = at + 1;
        const double value = strtod(end + 2, &at);
        if (CRAFT_set(c, name, value) && strstr(text, "\\"type\\":\\"dials\\"") != NULL) {
            printf("%s = %.9g\\n", name, value);
        }
        if (*at != ',') {
            break;
        }
    }
    fflush(stdout);
}

/* All that came in, line by line; -1 once the connection has ended. */
static int listen_to(int line, RECORD *c)
{
    static char text[1 << 17];
    static size_t length;
    for (;;) {
        const ssize_t got = recv(line, text + length, sizeof text - 1 - length, 0);
        if (got <= 0) {
            if (got < 0 && (errno == EAGAIN || errno == EWOULDBLOCK)) {
                return 0;
            }
            length = 0;
            return -1;
        }
        length += (size_t)got;
        text[length] = 0;
        char *begin = text;
        for (char *end; (end = strchr(begin, '\\n')) != NULL; begin = end + 1) {
            *end = 0;
            take(c, begin);
        }
        length -= (size_t)(begin - text);
        memmove(text, begin, length);
        if (length >= sizeof text - 1) {
            length = 0; /* no message is so long */
        }
    }
}

int main(int count, char **given)
{
    const char *host = count > 1 ? given[1] : "127.0.0.1", *port = count > 2 ? given[2] : "47310";
    const double seconds = count > 3 ? atof(given[3]) : INFINITY;
    static RECORD craft;
    char text[ROOM];
    double inputs[COUNT] = {0.0};
    int line = -1;
    long tick = 0;
    struct timespec next;
    signal(SIGPIPE, SIG_IGN);
    CRAFT_begin(&craft);
    clock_gettime(CLOCK_MONOTONIC, &next);
    for (; tick * craft.n.dt < seconds; tick++) {
        const double t = (double)tick * craft.n.dt;
        if (line < 0 && tick % (long)(1.0 / craft.n.dt + 0.5) == 0) {
            line = reach(host, port);
            if (line >= 0) {
                printf("linked to %s:%s\\n", host, port);
                snprintf(text, sizeof text,
                    "{\\"type\\":\\"hello\\",\\"version\\":1,\\"name\\":\\"stand-in\\",\\"ticks\\":%.17g}\\n",
                    1.0 / craft.n.dt);
                if (send(line, text, strlen(text), 0) < 0) {
                    close(line);
                    line = -1;
                }
            }
        }
        if (line >= 0 && listen_to(line, &craft) < 0) {
            printf("the bench is gone\\n");
            fflush(stdout);
            close(line);
            line = -1;
        }
        if (line >= 0) {
            const int wide = snprintf(text, sizeof text,
                "{\\"type\\":\\"telemetry\\",\\"tick\\":%ld,\\"position\\":[%.17g,%.17g,%.17g],"
                "\\"attitude\\":[%.17g,%.17g,%.17g,%.17g],\\"velocity\\":[%.17g,%.17g,%.17g],"
                "\\"spin\\":[%.17g,%.17g,%.17g],\\"inputs\\":{TOLD},\\"numbers\\":{\\"heard\\":%.0f}}\\n",
                tick, craft.position[0], craft.position[1], craft.position[2], craft.attitude[0], craft.attitude[1],
                craft.attitude[2], craft.attitude[3], craft.velocity[0], craft.velocity[1], craft.velocity[2],
                craft.spin[0], craft.spin[1], craft.spin[2]VALUES, heard);
            if (send(line, text, (size_t)wide, 0) < 0 && errno != EAGAIN && errno != EWOULDBLOCK) {
                printf("the bench is gone\\n");
                fflush(stdout);
                close(line);
                line = -1;
            }
        }
INPUTS
        (void)t;
        cast(&craft);
        CRAFT_tick(&craft, inputs);
        next.tv_nsec += (long)(1e9 * craft.n.dt);
        next.tv_sec += next.tv_nsec / 1000000000L;
        next.tv_nsec %= 1000000000L;
        clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &next, NULL);
    }
    printf("%ld ticks, at %.3f %.3f %.3f m\\n", tick, craft.position[0], craft.position[1], craft.position[2]);
    return 0;
}
"""
