/* Checks values, who uses them, and steps: known instructions and types, operands that are there
 * before them, an end, and for each operand the step's bit in that value's marks. */
#include "image/check.h"
#include "image/code.h"
#include "image/functions.h"

typedef struct code_shape {
    uint8_t operands;
    char gives;
    char takes[4];
} code_shape;

static const code_shape shapes[YT_CODE_COUNT] = {
#define YT_CODE(number, NAME, operands, takes, gives, meaning) [number] = {operands, gives, takes},
#include "yonder/image/code.def"
#undef YT_CODE
};

uint8_t yt_type_of_kind(unsigned kind) {
    return kind == YT_SWITCH ? YT_TYPE_SWITCH : kind == YT_MOTION ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
}

bool yt_type_fits(char want, uint8_t have) {
    switch (want) {
    case 's':
        return have == YT_TYPE_SWITCH;
    case 'p':
        return have == YT_TYPE_PULSE;
    case 'e':
        return have == YT_TYPE_EVENT;
    default:
        return have == YT_TYPE_NUMBER || have == YT_TYPE_SWITCH;
    }
}

/* A sum of two switches would not be 0 or 1, and a constant that is a pulse would never end. */
yt_status yt_check_value(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    uint8_t type = *yt_type_at(program, i);
    unsigned control = i - yt_first_control(program);
    bool is_good = type < YT_TYPE_COUNT;
    if (i < program->header->constant_count)
        is_good = type == YT_TYPE_NUMBER ||
                  (type == YT_TYPE_SWITCH &&
                   (*yt_constant_at(program, i) == 0 || *yt_constant_at(program, i) == YT_ONE));
    else if (i < yt_first_control(program))
        is_good = type == YT_TYPE_NUMBER;
    else if (i < yt_first_step_value(program))
        is_good = type == yt_type_of_kind(yt_control_at(program, control)->kind);
    return is_good ? YT_OK : YT_PROGRAM_TYPE;
}

/* The marks of one list: of steps that are there, in ascending order. */
static bool are_marks(const yt_program *program, unsigned first, unsigned count) {
    unsigned steps = program->header->step_count;
    for (unsigned i = 0; i < count; i++) {
        const yt_program_mark *mark = yt_mark_at(program, first + i);
        unsigned word = mark->word;
        if (mark->bits == 0 || mark->reserved || word * 32 >= steps ||
            (word == steps / 32 && mark->bits >> (steps % 32) != 0) ||
            (i > 0 && word <= yt_mark_at(program, first + i - 1)->word))
            return false;
    }
    return true;
}

yt_status yt_check_users(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_users *users = yt_users_at(program, i);
    unsigned all = (unsigned)users->count + users->seers;
    bool is_pulse = *yt_type_at(program, program->header->constant_count + i) == YT_TYPE_PULSE;
    if (users->first != checking->mark || checking->mark + all > program->header->mark_count ||
        ((users->seers || users->wires) && !is_pulse) || users->reserved ||
        users->first_wire != checking->wire ||
        checking->wire + users->wires > program->header->wire_count ||
        !are_marks(program, users->first, users->count) ||
        !are_marks(program, users->first + (unsigned)users->count, users->seers))
        return YT_PROGRAM_USERS;
    checking->mark = (uint16_t)(checking->mark + all);
    checking->wire = (uint16_t)(checking->wire + users->wires);
    return YT_OK;
}

/* Whether a wire takes a pulse to a step; they stand in the order of the steps. */
static bool has_wire(const yt_program *program, const yt_program_users *users, unsigned step) {
    unsigned low = 0, high = users->wires;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        const yt_program_wire *wire = yt_wire_at(program, users->first_wire + middle);
        if (wire->step == step)
            return true;
        if (wire->step < step)
            low = middle + 1;
        else
            high = middle;
    }
    return false;
}

/* Whether `count` marks from `first` on have a step. */
static bool has_step(const yt_program *program, unsigned first, unsigned count, unsigned step) {
    unsigned low = 0, high = count;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        const yt_program_mark *mark = yt_mark_at(program, first + middle);
        if (mark->word == step / 32)
            return mark->bits >> (step % 32) & 1;
        if (mark->word < step / 32)
            low = middle + 1;
        else
            high = middle;
    }
    return false;
}

/* Whether a value marks only steps behind `step`: a pass goes on and never back. */
static bool marks_later(const yt_program *program, unsigned value, unsigned step) {
    const yt_program_users *users = yt_users_at(program, value - program->header->constant_count);
    for (unsigned i = 0; i < (unsigned)users->count + users->seers; i++) {
        const yt_program_mark *mark = yt_mark_at(program, users->first + i);
        if (mark->word < step / 32 ||
            (mark->word == step / 32 && (mark->bits & (((uint32_t)2 << (step % 32)) - 1))))
            return false;
    }
    return true;
}

/* One step, as its code is followed. */
typedef struct following {
    yt_checking *checking;
    unsigned number;
    bool is_wired;                  /* what it tells comes by a wire: nothing marks it */
    uint8_t now;                    /* type of the number at hand */
    uint8_t stored[YT_TEMPORARIES]; /* types; YT_TYPE_COUNT: nothing is stored there */
} following;

/* The type of an operand; YT_TYPE_COUNT: it is not there, or its value does not mark the step. */
static uint8_t type_of_operand(const following *following, unsigned operand, bool seen) {
    const yt_program *program = &following->checking->program;
    unsigned constants = program->header->constant_count, values = program->header->value_count;
    if (operand >= values) {
        unsigned temporary = operand - values;
        return temporary < YT_TEMPORARIES ? following->stored[temporary] : YT_TYPE_COUNT;
    }
    if (operand >= following->checking->value)
        return YT_TYPE_COUNT;
    if (operand < constants)
        return *yt_type_at(program, operand);
    const yt_program_users *users = yt_users_at(program, operand - constants);
    unsigned step = following->number, seers = users->first + (unsigned)users->count;
    if (following->is_wired || has_wire(program, users, step))
        return *yt_type_at(program, operand);
    if (!has_step(program, users->first, users->count, step) ||
        (seen && !has_step(program, seers, users->seers, step)))
        return YT_TYPE_COUNT;
    return *yt_type_at(program, operand);
}

static yt_status take_operand(const following *following, unsigned operand, char want, bool seen) {
    uint8_t type = type_of_operand(following, operand, seen);
    if (type >= YT_TYPE_COUNT)
        return operand < following->checking->value ? YT_PROGRAM_USERS : YT_PROGRAM_ORDER;
    return yt_type_fits(want, type) ? YT_OK : YT_PROGRAM_TYPE;
}

/* The operands of the instruction at `first`, which has a list of them, from operand `from` on:
 * those that the function takes, or all of the type `otherwise`. */
static yt_status take_list(const following *following, unsigned first, unsigned from,
                           const yt_function *function, char otherwise) {
    const yt_program *program = &following->checking->program;
    unsigned count = yt_code_at(program, first)->count;
    for (unsigned k = from; k <= count; k++) {
        char want = function ? yt_function_argument(function, k - from) : otherwise;
        const yt_instruction *at = yt_code_at(program, first + k);
        if (at->code == YT_CODE_HERE && want == 'q')
            continue;
        if (k > 0 && at->code != YT_CODE_MORE)
            return YT_PROGRAM_STEP;
        yt_status status = take_operand(following, at->operand, want, false);
        if (status != YT_OK)
            return status;
    }
    return YT_OK;
}

/* Whether a macro, whose call is at `first`, runs once each time: a constant says so. */
static bool runs_once(const yt_program *program, unsigned first) {
    unsigned repeats = yt_code_at(program, first + 4)->operand;
    return repeats < program->header->constant_count && *yt_constant_at(program, repeats) == YT_ONE;
}

static yt_status check_call(following *following, const yt_program_step *step,
                            const yt_instruction *at) {
    const yt_program *program = &following->checking->program;
    const yt_function *function = yt_function_of(program->header->groups, at->operand);
    if (!function || !yt_function_takes(function, at->count))
        return YT_PROGRAM_STEP;
    following->now = yt_function_type(function);
    following->checking->abilities |= function->ability;
    if (at->operand == YT_DO_SEQUENCE && !runs_once(program, step->code))
        following->checking->abilities |= YT_CAN_REPETITION;
    if (step->value != following->checking->value ||
        step->value + (uint32_t)function->results > program->header->value_count ||
        (function->results > 1 && step->tells))
        return YT_PROGRAM_STEP;
    for (unsigned k = 1; k < function->results; k++)
        if (*yt_type_at(program, step->value + k) != YT_TYPE_NUMBER ||
            !marks_later(program, step->value + k, following->number))
            return YT_PROGRAM_STEP;
    return take_list(following, step->code, 1, function, 0);
}

/* A step of one instruction with many operands. */
static yt_status check_list(following *following, const yt_program_step *step,
                            const yt_instruction *at) {
    if (at->code == YT_CODE_CALL)
        return check_call(following, step, at);
    following->now = at->code == YT_CODE_DRIVE ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    if (at->code == YT_CODE_DRIVE && at->count % 2 == 0)
        return YT_PROGRAM_STEP;
    return take_list(following, step->code, 0, NULL, 's');
}

/* What a letter that stands for several types asks of two that must be of a kind. */
static bool is_one_kind(uint8_t a, uint8_t b) {
    return a == b || (a <= YT_TYPE_NUMBER && b <= YT_TYPE_NUMBER);
}

static yt_status take_one(following *following, char want, unsigned operand) {
    uint8_t now = following->now;
    if (want != 'a' && want != 't')
        return take_operand(following, operand, want, want == 'p');
    uint8_t type = type_of_operand(following, operand, false);
    if (type >= YT_TYPE_COUNT)
        return operand < following->checking->value ? YT_PROGRAM_USERS : YT_PROGRAM_ORDER;
    if (now != YT_TYPE_COUNT && !is_one_kind(now, type))
        return YT_PROGRAM_TYPE;
    following->now = now == YT_TYPE_COUNT || type > now ? type : now;
    return YT_OK;
}

static yt_status check_store(following *following, unsigned operand) {
    unsigned values = following->checking->program.header->value_count;
    unsigned temporary = operand - values; /* of a value: a large number */
    if (temporary >= YT_TEMPORARIES)
        return YT_PROGRAM_STEP;
    following->stored[temporary] = following->now;
    return YT_OK;
}

/* The instruction at `first`, which is `code`, with its further operands behind it. */
static yt_status check_instruction(following *following, unsigned first, unsigned code) {
    const yt_program *program = &following->checking->program;
    const yt_instruction *at = yt_code_at(program, first);
    const code_shape *shape = &shapes[code];
    if (at->count != (shape->operands > 1))
        return YT_PROGRAM_STEP;
    if (code == YT_CODE_STORE)
        return check_store(following, at->operand);
    if (shape->takes[0] == '-')
        following->now = YT_TYPE_COUNT;
    else if (shape->takes[0] == 's' || shape->takes[0] == 'n')
        if (!yt_type_fits(shape->takes[0], following->now))
            return YT_PROGRAM_TYPE;
    if (shape->operands == 0 && at->operand)
        return YT_PROGRAM_STEP;
    for (unsigned k = 0; k < shape->operands; k++) {
        at = yt_code_at(program, first + k);
        if (k > 0 && (at->code != YT_CODE_MORE || at->count))
            return YT_PROGRAM_STEP;
        yt_status status = take_one(following, shape->takes[k + 1], at->operand);
        if (status != YT_OK)
            return status;
    }
    if (shape->gives == 't' && following->now == YT_TYPE_SWITCH)
        following->now = YT_TYPE_NUMBER;
    else if (shape->gives != 'a' && shape->gives != 't')
        following->now = shape->gives == 's'   ? YT_TYPE_SWITCH
                         : shape->gives == 'e' ? YT_TYPE_EVENT
                                               : YT_TYPE_NUMBER;
    return YT_OK;
}

static bool has_list(unsigned code) {
    return code == YT_CODE_OWNER || code == YT_CODE_DRIVE || code == YT_CODE_CALL;
}

/* Follows a step's code to its end; gives how many instructions it has. */
static yt_status follow(following *following, const yt_program_step *step, unsigned *length) {
    const yt_program *program = &following->checking->program;
    unsigned first = step->code, room = program->header->instruction_count - first, at = 0;
    while (at < room && at < YT_STEP_INSTRUCTIONS) {
        const yt_instruction *here = yt_code_at(program, first + at);
        unsigned code = here->code, next = at + 1u + here->count;
        if (code >= YT_CODE_COUNT || code == YT_CODE_MORE || code == YT_CODE_HERE || next > room)
            return YT_PROGRAM_STEP;
        if (code == YT_CODE_END) {
            *length = at + 1;
            return here->count || here->operand ? YT_PROGRAM_STEP : YT_OK;
        }
        bool is_list = has_list(code);
        if (is_list &&
            (at > 0 || next == room || yt_code_at(program, first + next)->code != YT_CODE_END))
            return YT_PROGRAM_STEP;
        yt_status status = is_list ? check_list(following, step, here)
                                   : check_instruction(following, first + at, code);
        if (status != YT_OK)
            return status;
        at = next;
    }
    return YT_PROGRAM_STEP;
}

/* The function that an instruction calls, if it calls one. */
static const yt_function *function_of(const yt_program *program, const yt_instruction *at) {
    return at->code == YT_CODE_CALL ? yt_function_of(program->header->groups, at->operand) : NULL;
}

/* State and timers are handed out in the order of the steps. */
static yt_status check_state(yt_checking *checking, const yt_program_step *step, unsigned index) {
    const yt_program *program = &checking->program;
    const yt_instruction *at = yt_code_at(program, step->code);
    const yt_function *function = function_of(program, at);
    unsigned words = function                    ? yt_function_words(function, at->count)
                     : at->code == YT_CODE_DRIVE ? 1
                                                 : 0;
    unsigned timers = function ? function->timers : 0;
    if (step->state != (words ? checking->state : 0) ||
        step->timer != (timers ? checking->timer : 0))
        return YT_PROGRAM_STATE;
    if (checking->state + words > program->header->state_words ||
        checking->timer + timers > program->header->timer_count)
        return YT_PROGRAM_STATE;
    if (timers && *yt_timer_at(program, step->timer) != index)
        return YT_PROGRAM_STATE;
    checking->state = (uint16_t)(checking->state + words);
    checking->timer = (uint16_t)(checking->timer + timers);
    return YT_OK;
}

/* A step keeps its value behind those of the steps before it; but a pulse that is told is not kept,
 * and what is told is used by no other step. */
static yt_status check_kept(yt_checking *checking, const yt_program_step *step, unsigned index) {
    const yt_program *program = &checking->program;
    const yt_instruction *at = yt_code_at(program, step->code);
    const yt_function *function = function_of(program, at);
    if (step->tells == YT_TELLS_MOTION)
        return step->value == YT_NO_VALUE && step->type == YT_TYPE_PULSE && !has_list(at->code)
                   ? YT_OK
                   : YT_PROGRAM_STEP;
    if (step->value != checking->value || step->value >= program->header->value_count ||
        *yt_type_at(program, step->value) != step->type ||
        !marks_later(program, step->value, index))
        return YT_PROGRAM_STEP;
    if (step->tells && yt_users_at(program, step->value - program->header->constant_count)->count)
        return YT_PROGRAM_STEP;
    checking->value = (uint16_t)(checking->value + (function ? function->results : 1));
    return YT_OK;
}

/* What a step tells is told by no other one; the roots are checked later. */
static yt_status check_tells(const yt_program *program, const yt_program_step *step,
                             unsigned index) {
    unsigned root;
    if (step->tells >= YT_TELLING_COUNT)
        return YT_PROGRAM_STEP;
    if (step->tells == YT_TELLS_NOTHING)
        return step->report || step->number ? YT_PROGRAM_STEP : YT_OK;
    if (step->tells == YT_TELLS_TARGET)
        root =
            (unsigned)(program->header->root_count - program->header->target_count) + step->number;
    else if (step->report < program->header->report_count)
        root = yt_report_at(program, step->report)->first_root + (unsigned)step->number;
    else
        return YT_PROGRAM_ROOT;
    if (program->header->root_count < program->header->target_count ||
        root >= program->header->root_count || yt_root_at(program, root)->step != index)
        return YT_PROGRAM_ROOT;
    return YT_OK;
}

/* Whether the pulse that a step begins with goes to its root by a wire. */
static bool is_told_by_wire(const yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_step *step = yt_step_at(program, i);
    const yt_instruction *at = yt_code_at(program, step->code);
    unsigned constants = program->header->constant_count;
    return step->tells == YT_TELLS_MOTION && at->code == YT_CODE_LOAD && at->operand >= constants &&
           at->operand < checking->value &&
           has_wire(program, yt_users_at(program, at->operand - constants), i);
}

/* A wire to a root says what its step's code says; it is the only way there. */
static bool is_root_wire(const yt_program *program, const yt_program_wire *wire, unsigned kind,
                         unsigned value) {
    static const uint8_t codes[] = {YT_CODE_END, YT_CODE_MULTIPLY, YT_CODE_GATE};
    const yt_program_step *step = yt_step_at(program, wire->step);
    const yt_instruction *load = yt_code_at(program, step->code);
    const yt_instruction *then = yt_code_at(program, step->code + 1u);
    return step->tells == YT_TELLS_MOTION && load->code == YT_CODE_LOAD && load->operand == value &&
           then->code == codes[kind] && then->operand == wire->factor &&
           (kind == YT_WIRE_PLAIN || yt_code_at(program, step->code + 2u)->code == YT_CODE_END);
}

/* A wire to a stick that is always alive. */
static bool is_stick_wire(const yt_program *program, const yt_program_wire *wire, unsigned value) {
    unsigned first = yt_step_at(program, wire->step)->code, which = wire->kind - YT_WIRE_STICK_X;
    const yt_instruction *at = yt_code_at(program, first);
    unsigned alive = yt_code_at(program, first + 1)->operand;
    return at->code == YT_CODE_CALL && at->operand == YT_DO_STICK_FROM_MOTION &&
           yt_code_at(program, first + 2 + which)->operand == value &&
           alive < program->header->constant_count && *yt_constant_at(program, alive) == YT_ONE &&
           wire->factor == 0;
}

/* No way is taken twice. */
static bool is_behind(const yt_program_wire *wire, const yt_program_wire *before) {
    return wire->step > before->step || (wire->step == before->step && wire->kind > before->kind);
}

/* The wires of a value; the steps are checked before. */
yt_status yt_check_wires(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_users *users = yt_users_at(program, i);
    unsigned value = program->header->constant_count + i;
    for (unsigned k = 0; k < users->wires; k++) {
        const yt_program_wire *wire = yt_wire_at(program, users->first_wire + k);
        unsigned kind = wire->kind;
        if (wire->step >= program->header->step_count || kind >= YT_WIRE_KIND_COUNT ||
            wire->reserved[0] || wire->reserved[1] || wire->reserved[2] ||
            (k > 0 && !is_behind(wire, yt_wire_at(program, users->first_wire + k - 1u))) ||
            has_step(program, users->first, users->count, wire->step) ||
            !(kind < YT_WIRE_STICK_X ? is_root_wire(program, wire, kind, value)
                                     : is_stick_wire(program, wire, value)))
            return YT_PROGRAM_USERS;
    }
    return YT_OK;
}

yt_status yt_check_step(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_step *step = yt_step_at(program, i);
    static const char letters[YT_TYPE_COUNT] = {'s', 'n', 'p', 'e'};
    following following = {.checking = checking, .number = i, .now = YT_TYPE_SWITCH};
    unsigned length = 0;
    for (unsigned k = 0; k < YT_TEMPORARIES; k++)
        following.stored[k] = YT_TYPE_COUNT;
    if (step->type >= YT_TYPE_COUNT || step->code != checking->code ||
        step->code >= program->header->instruction_count)
        return YT_PROGRAM_STEP;
    following.is_wired = is_told_by_wire(checking, i);
    yt_status status = follow(&following, step, &length);
    if (status == YT_OK && !yt_type_fits(letters[step->type], following.now))
        status = YT_PROGRAM_TYPE;
    if (status == YT_OK)
        status = check_tells(program, step, i);
    if (status == YT_OK)
        status = check_kept(checking, step, i);
    if (status == YT_OK)
        status = check_state(checking, step, i);
    checking->code = (uint16_t)(checking->code + length);
    return status;
}
