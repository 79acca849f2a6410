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
    uint8_t type = program->types[i];
    unsigned control = i - yt_first_control(program);
    bool is_good = type < YT_TYPE_COUNT;
    if (i < program->header->constant_count)
        is_good = type == YT_TYPE_NUMBER ||
                  (type == YT_TYPE_SWITCH &&
                   (program->constants[i] == 0 || program->constants[i] == YT_ONE));
    else if (i < yt_first_control(program))
        is_good = type == YT_TYPE_NUMBER;
    else if (i < yt_first_step_value(program))
        is_good = type == yt_type_of_kind(program->controls[control].kind);
    return is_good ? YT_OK : YT_PROGRAM_TYPE;
}

/* The marks of one list: of steps that are there, in ascending order. */
static bool are_marks(const yt_program *program, unsigned first, unsigned count) {
    unsigned steps = program->header->step_count;
    for (unsigned i = 0; i < count; i++) {
        const yt_program_mark *mark = &program->marks[first + i];
        unsigned word = mark->word;
        if (mark->bits == 0 || mark->reserved || word * 32 >= steps ||
            (word == steps / 32 && mark->bits >> (steps % 32) != 0) ||
            (i > 0 && word <= program->marks[first + i - 1].word))
            return false;
    }
    return true;
}

yt_status yt_check_users(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_users *users = &program->users[i];
    unsigned all = (unsigned)users->count + users->seers;
    bool is_pulse = program->types[program->header->constant_count + i] == YT_TYPE_PULSE;
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
    const yt_program_wire *wires = &program->wires[users->first_wire];
    unsigned low = 0, high = users->wires;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (wires[middle].step == step)
            return true;
        if (wires[middle].step < step)
            low = middle + 1;
        else
            high = middle;
    }
    return false;
}

/* Whether a list of marks has a step. */
static bool has_step(const yt_program_mark *marks, unsigned count, unsigned step) {
    unsigned low = 0, high = count;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (marks[middle].word == step / 32)
            return marks[middle].bits >> (step % 32) & 1;
        if (marks[middle].word < step / 32)
            low = middle + 1;
        else
            high = middle;
    }
    return false;
}

/* Whether a value marks only steps behind `step`: a pass goes on and never back. */
static bool marks_later(const yt_program *program, unsigned value, unsigned step) {
    const yt_program_users *users = &program->users[value - program->header->constant_count];
    const yt_program_mark *marks = &program->marks[users->first];
    for (unsigned i = 0; i < (unsigned)users->count + users->seers; i++)
        if (marks[i].word < step / 32 ||
            (marks[i].word == step / 32 && (marks[i].bits & (((uint32_t)2 << (step % 32)) - 1))))
            return false;
    return true;
}

/* One step, as its code is followed. */
typedef struct following {
    const yt_checking *checking;
    unsigned number;
    bool is_wired;                  /* what it tells comes by a wire: nothing marks it */
    uint8_t now;                    /* type of the number at hand */
    uint8_t stored[YT_TEMPORARIES]; /* types; YT_TYPE_COUNT: nothing is stored there */
} following;

/* The type of an operand; YT_TYPE_COUNT: it is not there, or its value does not mark the step. */
static uint8_t type_of_operand(const following *following, unsigned operand, bool seen) {
    const yt_program *program = &following->checking->program;
    unsigned constants = program->header->constant_count, values = program->header->value_count;
    if (operand >= values)
        return operand < values + YT_TEMPORARIES ? following->stored[operand - values]
                                                 : YT_TYPE_COUNT;
    if (operand >= following->checking->value)
        return YT_TYPE_COUNT;
    if (operand < constants)
        return program->types[operand];
    const yt_program_users *users = &program->users[operand - constants];
    const yt_program_mark *marks = &program->marks[users->first];
    if (following->is_wired || has_wire(program, users, following->number))
        return program->types[operand];
    if (!has_step(marks, users->count, following->number) ||
        (seen && !has_step(marks + users->count, users->seers, following->number)))
        return YT_TYPE_COUNT;
    return program->types[operand];
}

static yt_status take_operand(const following *following, unsigned operand, char want) {
    uint8_t type = type_of_operand(following, operand, want == 'p');
    if (type >= YT_TYPE_COUNT)
        return operand < following->checking->value ? YT_PROGRAM_USERS : YT_PROGRAM_ORDER;
    return yt_type_fits(want, type) ? YT_OK : YT_PROGRAM_TYPE;
}

/* All operands of an instruction with a list of them; `wants` gives the letter of each. */
static yt_status take_list(const following *following, const yt_instruction *at, unsigned from,
                           const yt_function *function, char otherwise) {
    for (unsigned k = from; k <= at->count; k++) {
        char want = function ? yt_function_argument(function, k - from) : otherwise;
        uint8_t type = type_of_operand(following, at[k].operand, false);
        if (k > 0 && at[k].code != YT_CODE_MORE)
            return YT_PROGRAM_STEP;
        if (type >= YT_TYPE_COUNT)
            return at[k].operand < following->checking->value ? YT_PROGRAM_USERS : YT_PROGRAM_ORDER;
        if (!yt_type_fits(want, type))
            return YT_PROGRAM_TYPE;
    }
    return YT_OK;
}

static yt_status check_call(following *following, const yt_program_step *step,
                            const yt_instruction *at) {
    const yt_program *program = &following->checking->program;
    const yt_function *function = yt_function_of(at->operand);
    if (!function || !(program->header->groups >> yt_function_group(at->operand) & 1) ||
        !yt_function_takes(function, at->count))
        return YT_PROGRAM_STEP;
    following->now = function->gives == 's' ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    if (step->value != following->checking->value ||
        step->value + (uint32_t)function->results > program->header->value_count ||
        (function->results > 1 && step->tells))
        return YT_PROGRAM_STEP;
    for (unsigned k = 1; k < function->results; k++)
        if (program->types[step->value + k] != YT_TYPE_NUMBER ||
            !marks_later(program, step->value + k, following->number))
            return YT_PROGRAM_STEP;
    return take_list(following, at, 1, function, 0);
}

/* A step of one instruction with many operands. */
static yt_status check_list(following *following, const yt_program_step *step,
                            const yt_instruction *at) {
    if (at->code == YT_CODE_CALL)
        return check_call(following, step, at);
    following->now = at->code == YT_CODE_DRIVE ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    if (at->code == YT_CODE_DRIVE && at->count % 2 == 0)
        return YT_PROGRAM_STEP;
    return take_list(following, at, 0, NULL, 's');
}

/* What a letter that stands for several types asks of two that must be of a kind. */
static bool is_one_kind(uint8_t a, uint8_t b) {
    return a == b || (a <= YT_TYPE_NUMBER && b <= YT_TYPE_NUMBER);
}

static yt_status take_one(following *following, char want, unsigned operand) {
    uint8_t now = following->now;
    if (want != 'a' && want != 't')
        return take_operand(following, operand, want);
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
    if (operand < values || operand >= values + YT_TEMPORARIES)
        return YT_PROGRAM_STEP;
    following->stored[operand - values] = following->now;
    return YT_OK;
}

/* One instruction; `at` has its further operands behind it. */
static yt_status check_instruction(following *following, const yt_instruction *at) {
    const code_shape *shape = &shapes[at->code];
    if (at->count != (shape->operands > 1))
        return YT_PROGRAM_STEP;
    if (at->code == YT_CODE_STORE)
        return check_store(following, at->operand);
    if (shape->takes[0] == '-')
        following->now = YT_TYPE_COUNT;
    else if (shape->takes[0] == 's' || shape->takes[0] == 'n')
        if (!yt_type_fits(shape->takes[0], following->now))
            return YT_PROGRAM_TYPE;
    if (shape->operands == 0 && at->operand)
        return YT_PROGRAM_STEP;
    for (unsigned k = 0; k < shape->operands; k++) {
        if (k > 0 && (at[k].code != YT_CODE_MORE || at[k].count))
            return YT_PROGRAM_STEP;
        yt_status status = take_one(following, shape->takes[k + 1], at[k].operand);
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
    const yt_instruction *code = &program->code[step->code];
    unsigned room = program->header->instruction_count - (unsigned)step->code, at = 0;
    for (; at < room && at < YT_STEP_INSTRUCTIONS; at += 1u + code[at].count) {
        if (code[at].code >= YT_CODE_COUNT || code[at].code == YT_CODE_MORE ||
            code[at].count >= room - at)
            return YT_PROGRAM_STEP;
        if (code[at].code == YT_CODE_END) {
            *length = at + 1;
            return code[at].count || code[at].operand ? YT_PROGRAM_STEP : YT_OK;
        }
        bool is_list = has_list(code[at].code);
        if (is_list && (at > 0 || code[at + 1u + code[at].count].code != YT_CODE_END))
            return YT_PROGRAM_STEP;
        yt_status status =
            is_list ? check_list(following, step, code) : check_instruction(following, &code[at]);
        if (status != YT_OK)
            return status;
    }
    return YT_PROGRAM_STEP;
}

/* State and timers are handed out in the order of the steps. */
static yt_status check_state(yt_checking *checking, const yt_program_step *step) {
    const yt_instruction *at = &checking->program.code[step->code];
    const yt_function *function = at->code == YT_CODE_CALL ? yt_function_of(at->operand) : NULL;
    unsigned words = function                    ? yt_function_words(function, at->count)
                     : at->code == YT_CODE_DRIVE ? 1
                                                 : 0;
    unsigned timers = function ? function->timers : 0;
    if (step->state != (words ? checking->state : 0) ||
        step->timer != (timers ? checking->timer : 0))
        return YT_PROGRAM_STATE;
    if (checking->state + words > checking->program.header->state_words ||
        checking->timer + timers > checking->program.header->timer_count)
        return YT_PROGRAM_STATE;
    unsigned index = (unsigned)(step - checking->program.steps);
    if (timers && checking->program.timers[step->timer] != index)
        return YT_PROGRAM_STATE;
    checking->state = (uint16_t)(checking->state + words);
    checking->timer = (uint16_t)(checking->timer + timers);
    return YT_OK;
}

/* A step keeps its value behind those of the steps before it; but a pulse that is told is not kept,
 * and what is told is used by no other step. */
static yt_status check_kept(yt_checking *checking, const yt_program_step *step) {
    const yt_program *program = &checking->program;
    const yt_instruction *at = &program->code[step->code];
    unsigned index = (unsigned)(step - program->steps);
    const yt_function *function = at->code == YT_CODE_CALL ? yt_function_of(at->operand) : NULL;
    if (step->tells == YT_TELLS_MOTION)
        return step->value == YT_NO_VALUE && step->type == YT_TYPE_PULSE && !has_list(at->code)
                   ? YT_OK
                   : YT_PROGRAM_STEP;
    if (step->value != checking->value || step->value >= program->header->value_count ||
        program->types[step->value] != step->type || !marks_later(program, step->value, index))
        return YT_PROGRAM_STEP;
    if (step->tells && program->users[step->value - program->header->constant_count].count)
        return YT_PROGRAM_STEP;
    checking->value = (uint16_t)(checking->value + (function ? function->results : 1));
    return YT_OK;
}

/* What a step tells is told by no other one; the roots are checked later. */
static yt_status check_tells(const yt_program *program, const yt_program_step *step) {
    unsigned index = (unsigned)(step - program->steps), root;
    if (step->tells >= YT_TELLING_COUNT)
        return YT_PROGRAM_STEP;
    if (step->tells == YT_TELLS_NOTHING)
        return step->report || step->number ? YT_PROGRAM_STEP : YT_OK;
    if (step->tells == YT_TELLS_TARGET)
        root =
            (unsigned)(program->header->root_count - program->header->target_count) + step->number;
    else if (step->report < program->header->report_count)
        root = program->reports[step->report].first_root + (unsigned)step->number;
    else
        return YT_PROGRAM_ROOT;
    if (program->header->root_count < program->header->target_count ||
        root >= program->header->root_count || program->roots[root].step != index)
        return YT_PROGRAM_ROOT;
    return YT_OK;
}

/* Whether the pulse that a step begins with goes to its root by a wire. */
static bool is_told_by_wire(const yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_step *step = &program->steps[i];
    const yt_instruction *at = &program->code[step->code];
    unsigned constants = program->header->constant_count;
    return step->tells == YT_TELLS_MOTION && at->code == YT_CODE_LOAD && at->operand >= constants &&
           at->operand < checking->value &&
           has_wire(program, &program->users[at->operand - constants], i);
}

/* A wire to a root says what its step's code says; it is the only way there. */
static bool is_root_wire(const yt_program *program, const yt_program_wire *wire, unsigned value) {
    static const uint8_t codes[] = {YT_CODE_END, YT_CODE_MULTIPLY, YT_CODE_GATE};
    const yt_program_step *step = &program->steps[wire->step];
    const yt_instruction *at = &program->code[step->code];
    return step->tells == YT_TELLS_MOTION && at->code == YT_CODE_LOAD && at->operand == value &&
           at[1].code == codes[wire->kind] && at[1].operand == wire->factor &&
           (wire->kind == YT_WIRE_PLAIN || at[2].code == YT_CODE_END);
}

/* A wire to a stick that is always alive. */
static bool is_stick_wire(const yt_program *program, const yt_program_wire *wire, unsigned value) {
    const yt_instruction *at = &program->code[program->steps[wire->step].code];
    unsigned which = wire->kind - YT_WIRE_STICK_X;
    return at->code == YT_CODE_CALL && at->operand == YT_DO_STICK_FROM_MOTION &&
           at[2 + which].operand == value && at[1].operand < program->header->constant_count &&
           program->constants[at[1].operand] == YT_ONE && wire->factor == 0;
}

/* No way is taken twice. */
static bool is_behind(const yt_program_wire *wire, const yt_program_wire *before) {
    return wire->step > before->step || (wire->step == before->step && wire->kind > before->kind);
}

/* The wires of a value; the steps are checked before. */
yt_status yt_check_wires(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_users *users = &program->users[i];
    unsigned value = program->header->constant_count + i;
    for (unsigned k = 0; k < users->wires; k++) {
        const yt_program_wire *wire = &program->wires[users->first_wire + k];
        if (wire->step >= program->header->step_count || wire->kind >= YT_WIRE_KIND_COUNT ||
            wire->reserved[0] || wire->reserved[1] || wire->reserved[2] ||
            (k > 0 && !is_behind(wire, wire - 1)) ||
            has_step(&program->marks[users->first], users->count, wire->step) ||
            !(wire->kind < YT_WIRE_STICK_X ? is_root_wire(program, wire, value)
                                           : is_stick_wire(program, wire, value)))
            return YT_PROGRAM_USERS;
    }
    return YT_OK;
}

yt_status yt_check_step(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_step *step = &program->steps[i];
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
        status = check_tells(program, step);
    if (status == YT_OK)
        status = check_kept(checking, step);
    if (status == YT_OK)
        status = check_state(checking, step);
    checking->code = (uint16_t)(checking->code + length);
    return status;
}
