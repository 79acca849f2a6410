/* What a recording tells of a device: how often it reports, and of each stick, axis and level its
 * noise, where it rests, how far it reaches. Numbers in, numbers out; nothing is printed. Values
 * are those that formulas see: -1 to 1, or 0 to 1. */
#ifndef YONDER_TOOL_MEASURING_H
#define YONDER_TOOL_MEASURING_H

#include "tool/calibrating.h"

/* How reports come. Intervals in microseconds. */
typedef struct rate_measure {
    size_t reports;
    double seconds;           /* without the steps at which the time went back */
    double middle, low, high; /* half of all intervals are shorter; 98 of 100 are within these */
    double longest;
    bool is_regular;    /* they come whether something changes or not; else `lost` is not known */
    unsigned lost;      /* that are missing while something moved */
    unsigned backwards; /* reports that come before the one before them */
} rate_measure;

void measure_rate(const uint64_t *times_us, const bool *moves, size_t count, rate_measure *measure);

#define MEASURE_DIRECTIONS 8

typedef struct part_measure {
    size_t samples;
    size_t rests;      /* samples at rest, */
    unsigned times;    /* and how often it came to rest */
    unsigned wrong;    /* samples that are far off both their neighbours: a worn part crackles */
    double noise[2];   /* at rest: one standard deviation of each axis */
    double rest[2];    /* where it rests, in the middle */
    double within;     /* how far from 0 it is at rest, in `share` of the samples, */
    double own_within; /* and how far from where it rests */
    double share;      /* 0.9999, or less where there are few samples; 1: all */
    double drift;      /* how far its rest went from the first quarter of the time to the last */
    double
        reach[MEASURE_DIRECTIONS]; /* clockwise from up; of an axis low and high; of a level full */
    bool has_reach[MEASURE_DIRECTIONS];
    double step;   /* the smallest difference between two of its raw numbers */
    double gap;    /* and the largest, between neighbours in a stretch that it went through, */
    double gap_at; /* which is here */
    double
        bent[2]; /* how far each axis is from a straight line at most, where it was turned around */
    bool has_bent;             /* a round rim, which tells that; else not known */
    unsigned presses;          /* of a level: how often it came past half its way, */
    unsigned chatters;         /* and how often more within 50 ms, as it trembled there */
    double frequency, damping; /* of a spring; 0: not known */
    unsigned let_gos;
} part_measure;

/* The longest bounce of a switch, as what makes it one press: `steady` by so many milliseconds. */
double measure_steady_ms(uint64_t longest_us);

/* `calibrating` holds the samples of a part. */
void measure_part(const calibrating *calibrating, part_measure *measure);

/* How far to the other side it swings when it is let go, of where it was held; 0: not known. */
double measure_overshoot(const part_measure *measure);

/* What to set: a function of formulas around the part, with some of its arguments, for a reason. */
typedef struct measure_setting {
    const char *function; /* NULL: it is nothing that stands in a formula */
    const char *labels[2];
    char values[2][24];
    unsigned count;
    char why[200];
} measure_setting;

#define MEASURE_SETTINGS 8

/* What to set for a part; how many there are. */
unsigned measure_advice(const calibrating *calibrating, const part_measure *measure,
                        measure_setting settings[MEASURE_SETTINGS]);

/* A setting as a person reads it: "deadzone(left_stick, inner=2.5%): it rests within…". */
void measure_setting_text(const measure_setting *setting, const char *part, char *text,
                          size_t size);

#endif
