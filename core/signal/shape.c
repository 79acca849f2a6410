/* Distances by a reciprocal square root, which Newton's method makes from 48 seeds in two steps;
 * directions by it too. Angles are never worked out. */
#include "signal/shape.h"

#include "signal/fixed.h"
#include "signal/product.h"

#define MOST YT_SHAPE_MOST
#define ONE  ((uint32_t)YT_Q24_ONE)
#define UNIT (1u << 30) /* of directions */

static uint32_t limited(uint32_t size) {
    return size < MOST ? size : MOST;
}

static uint32_t size_of(yt_q16 value) {
    uint32_t size = value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
    return size < MOST >> 8 ? size << 8 : MOST;
}

void yt_shape_begin(yt_shape *shape, yt_q16 x, yt_q16 y) {
    shape->x = size_of(x);
    shape->y = size_of(y);
    shape->is_left = x < 0;
    shape->is_up = y < 0;
    shape->has_sides = true;
    shape->has_reach = false;
}

static yt_q16 rounded(uint32_t size, bool negative) {
    yt_q16 value = (yt_q16)((size + 128) >> 8);
    return negative ? -value : value;
}

void yt_shape_end(yt_shape *shape, yt_q16 *x, yt_q16 *y) {
    yt_shape_need_sides(shape);
    *x = rounded(shape->x, shape->is_left);
    *y = rounded(shape->y, shape->is_up);
}

/* A product of a number and one of 2^30, below 4. */
#if defined(__GNUC__)
__attribute__((always_inline))
#endif
static inline uint32_t
share_of(uint32_t size, uint32_t share) {
    return (yt_upper_product(size << 4, share) + 2) >> 2;
}

void yt_shape_need_sides(yt_shape *shape) {
    if (shape->has_sides)
        return;
    shape->x = share_of(shape->out, shape->right);
    shape->y = share_of(shape->out, shape->down);
    shape->has_sides = true;
}

/* 2^14 / sqrt((k + 16.5) / 64) */
static const uint16_t seeds[48] = {
    32268, 31332, 30474, 29682, 28949, 28268, 27632, 27038, 26481, 25956, 25462, 24994,
    24552, 24132, 23733, 23354, 22992, 22646, 22315, 21999, 21695, 21404, 21124, 20855,
    20596, 20346, 20106, 19873, 19649, 19431, 19221, 19018, 18821, 18630, 18444, 18264,
    18090, 17920, 17755, 17594, 17438, 17285, 17137, 16992, 16851, 16714, 16579, 16448};

/* 2^29 / sqrt(square / 2^32), of a square of 2^30 and more. */
static uint32_t by_root(uint32_t square) {
    uint32_t root = seeds[(square >> 26) - 16];
    uint32_t part = (square >> 16) * (root * root >> 14); /* nearly 2^30 */
    root *= (3 * UNIT - part) >> 15;
    part = yt_upper_product(square, yt_upper_product(root, root));
    return yt_upper_product(root, (3 * (UNIT >> 2) - part) << 2);
}

void yt_shape_need_reach(yt_shape *shape) {
    uint32_t x = shape->x, y = shape->y, larger = x > y ? x : y;
    unsigned up = 0, even = 0;
    if (shape->has_reach)
        return;
    shape->has_reach = true;
    if (x == 0 || y == 0) { /* straight ahead, exactly */
        shape->out = larger;
        shape->right = x ? UNIT : 0;
        shape->down = y ? UNIT : 0;
        return;
    }
    for (; larger < UNIT >> 3; larger <<= 4)
        up += 4;
    for (; larger < UNIT; larger <<= 1)
        up++;
    x <<= up;
    y <<= up;
    uint32_t square = yt_upper_product(x, x) + yt_upper_product(y, y);
    if (square < UNIT) {
        square <<= 2;
        even = 1;
    }
    uint32_t root = by_root(square), reach = yt_upper_product(square, root);
    shape->out = limited(reach >> (up + even - 3)); /* `up` is 4 or more */
    shape->right = yt_upper_product(x, root) << (1 + even);
    shape->down = yt_upper_product(y, root) << (1 + even);
}

void yt_shape_set_sides(yt_shape *shape, uint32_t x, uint32_t y) {
    shape->x = limited(x);
    shape->y = limited(y);
    shape->has_sides = true;
    shape->has_reach = false;
}

/* Of two below 2. */
static uint32_t product(uint32_t a, uint32_t b) {
    return yt_upper_product(a << 7, b << 7) >> 6;
}

uint32_t yt_size_between(uint32_t size, uint32_t inner, uint32_t end, uint32_t gain) {
    if (size > ONE)
        return size;
    if (size >= end || gain > 32u << 18)
        return size > inner ? ONE : 0;
    if (size <= inner)
        return 0;
    uint32_t share = yt_upper_product((size - inner) << 7, gain << 8) >> 1;
    return share < ONE ? share : ONE;
}

/* A number, maybe below 0, times a share of 2^32. */
static int32_t times(int32_t number, uint32_t share) {
    uint32_t size = number < 0 ? 0u - (uint32_t)number : (uint32_t)number;
    uint32_t result = yt_upper_product(size, share);
    return number < 0 ? -(int32_t)result : (int32_t)result;
}

uint32_t yt_size_on_curve(uint32_t size, const yt_curve_part *part) {
    uint32_t over = size > part->from ? size - part->from : 0, beyond = ONE >> part->shift;
    uint32_t share = over < beyond ? over << part->shift << 8 : UINT32_MAX;
    int32_t sum = part->bend * 32 + times(part->twist * 32, share); /* 24 bits behind the point */
    sum = part->slope * 32 + times(sum, share);
    sum = part->start * 32 + times(sum, share);
    return sum < 0 ? 0 : (uint32_t)sum;
}

uint32_t yt_size_power(uint32_t size, yt_q16 exponent) {
    if (size == 0 || size >= ONE)
        return size;
    if (exponent < YT_ONE / 16)
        exponent = YT_ONE / 16;
    if (exponent > 16 * YT_ONE)
        exponent = 16 * YT_ONE;
    uint32_t below = (uint32_t)-yt_log2(size); /* 24 at most, 2^28.6 */
    uint32_t power = yt_upper_product(below << 2, (uint32_t)exponent << 10); /* 1 is 2^20 */
    return power >= 24u << 20 ? 0 : yt_exp2(-(int32_t)(power << 4));
}

uint32_t yt_size_s(uint32_t size, yt_q16 bend) {
    if (size >= ONE)
        return size;
    uint32_t share = bend < 0 ? 0 : bend > YT_ONE ? ONE : (uint32_t)bend << 8;
    uint32_t steep = product(product(size, ONE - size), share);
    return 2 * size >= ONE ? size + product(steep, 2 * size - ONE)
                           : size - product(steep, ONE - 2 * size);
}

uint32_t yt_size_steps(uint32_t size, unsigned count, uint32_t each) {
    if (size >= ONE)
        return size;
    uint32_t number = ((size >> 8) * count + 0x8000) >> 16;
    return number >= count ? ONE : number * each;
}

uint32_t yt_size_at_least(uint32_t size, uint32_t least) {
    if (size == 0 || size >= ONE)
        return size;
    least = least < ONE ? least : ONE;
    return least + product(size, ONE - least);
}

uint32_t yt_size_beside(uint32_t size, uint32_t other, uint32_t zone, uint32_t grows) {
    if (size >= ONE)
        return size;
    other = other < ONE ? other : ONE;
    uint32_t wide = limited(zone) + (yt_upper_product(other << 7, limited(grows) << 4) >> 3);
    uint32_t off = yt_upper_product((ONE - size) << 7, wide << 3) >> 2; /* wide is below 16 */
    return size > off ? size - off : 0;
}

/* 1 / share, of a share from 0.7 to 1; both are of 2^30. A parabola, within 1 of 500, then one step
 * of Newton's method. */
static uint32_t reciprocal(uint32_t share) {
    uint32_t parabola =
        3830701057u -
        (yt_upper_product(share << 1, 2260609257u - yt_upper_product(share << 1, 1765645658u))
         << 2);
    return yt_upper_product(parabola, (2 * (UNIT >> 2) - yt_upper_product(share, parabola)) << 3)
           << 1;
}

static uint32_t larger_of(const yt_shape *shape) {
    return shape->right > shape->down ? shape->right : shape->down;
}
static uint32_t smaller_of(const yt_shape *shape) {
    return shape->right > shape->down ? shape->down : shape->right;
}

void yt_shape_to_square(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (shape->right && shape->down)
        yt_shape_set_out(shape, share_of(shape->out, reciprocal(larger_of(shape))));
}

void yt_shape_from_square(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (shape->right && shape->down)
        yt_shape_set_out(shape, share_of(shape->out, larger_of(shape)));
}

/* How far out the edge of the octagon is not, along a direction: its normal stands half way between
 * a straight line and a diagonal. */
#define COSINE    992008094u /* of 22.5 degrees, of 2^30 */
#define SINE      410903207u
#define BY_COSINE 1162208989u /* 1 / cosine */

static uint32_t towards_edge(const yt_shape *shape) {
    return (yt_upper_product(larger_of(shape) << 1, COSINE << 1) +
            yt_upper_product(smaller_of(shape) << 1, SINE << 1));
}

void yt_shape_to_octagon(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (!shape->right || !shape->down)
        return;
    uint32_t by = reciprocal(towards_edge(shape));
    yt_shape_set_out(shape, share_of(share_of(shape->out, by), COSINE));
}

void yt_shape_from_octagon(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (shape->right && shape->down)
        yt_shape_set_out(shape, share_of(share_of(shape->out, BY_COSINE), towards_edge(shape)));
}

/* A polynomial of a square of 2^30, its terms of 2^30 too and of changing signs, the last first. */
static uint32_t polynomial(const uint32_t *terms, unsigned count, uint32_t square) {
    uint32_t sum = terms[0];
    for (unsigned i = 1; i < count; i++)
        sum = terms[i] - (yt_upper_product(square << 1, sum << 1));
    return sum;
}

static const uint32_t arc_terms[] = {10456298,  49709456,  113644714, 183849858,
                                     271676734, 455605526, 1367129492};
static const uint32_t sine_terms[] = {38606, 2673624, 86699750, 843314854};
static const uint32_t cosine_terms[] = {342392, 17018712, 331168019, 1073741794};

static uint32_t square_of(uint32_t share) {
    return yt_upper_product(share << 1, share << 1);
}

/* The smaller side as a share of the larger. */
static uint32_t tangent_of(const yt_shape *shape) {
    uint32_t share = yt_upper_product(smaller_of(shape) << 1, reciprocal(larger_of(shape)) << 1);
    return share < UNIT ? share : UNIT;
}

void yt_shape_to_square_evenly(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (!shape->right || !shape->down)
        return;
    uint32_t tangent = tangent_of(shape), out = shape->out;
    uint32_t angle = yt_upper_product(
        tangent << 1,
        polynomial(arc_terms, sizeof arc_terms / sizeof *arc_terms, square_of(tangent)) << 1);
    uint32_t across = share_of(out, angle < UNIT ? angle : UNIT);
    if (shape->right > shape->down)
        yt_shape_set_sides(shape, out, across);
    else
        yt_shape_set_sides(shape, across, out);
}

void yt_shape_from_square_evenly(yt_shape *shape) {
    yt_shape_need_reach(shape);
    if (!shape->right || !shape->down)
        return;
    uint32_t tangent = tangent_of(shape), square = square_of(tangent);
    uint32_t across = yt_upper_product(tangent << 1, polynomial(sine_terms, 4, square) << 1);
    uint32_t along = polynomial(cosine_terms, 4, square);
    uint32_t out = share_of(shape->out, larger_of(shape));
    bool lies = shape->right > shape->down;
    shape->right = lies ? along : across;
    shape->down = lies ? across : along;
    yt_shape_set_out(shape, out);
}

void yt_shape_snap(yt_shape *shape, uint32_t straight, uint32_t diagonal, uint32_t gain) {
    yt_shape_need_reach(shape);
    if (!shape->right || !shape->down)
        return;
    uint32_t tangent = yt_size_between((tangent_of(shape) + 32) >> 6, straight, diagonal, gain);
    bool lies = shape->right > shape->down;
    uint32_t out = shape->out;
    yt_shape_set_sides(shape, lies ? ONE : tangent, lies ? tangent : ONE);
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, out);
}
