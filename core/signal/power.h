/* Logarithms and powers of 2, from tables of 16 parts and a polynomial of each part; within
 * 1/2^22 for what is shaped here. Numbers have 24 bits behind the point: 1.0 is 2^24. */
#ifndef YONDER_SIGNAL_POWER_H
#define YONDER_SIGNAL_POWER_H

#include <stdint.h>

#define YT_Q24_ONE 0x1000000

/* The logarithm to the base of 2; `value` is not 0. */
int32_t yt_log2(uint32_t value);

/* 2 to the power of `exponent`, which is 6 at most; below 2^-24 it is 0. */
uint32_t yt_exp2(int32_t exponent);

#endif
