/* A plugin for QEMU's emulation that counts the instructions of the core, step by step.
 *
 * Arguments: begin= and end=, the addresses of the port's own code, which does not count; one= and
 * other=, the addresses of the two marks that end a step (ports/bare/replay.c); out=, the file that
 * gets a line for each step: "one 1234" or "other 567". With entry=, the address of a function, and
 * from= and to=, those of the one that calls it, there is a line "call 89" for each call that took
 * more instructions than all before it, with all that it calls.
 *
 * Debian packages no header for plugins, so the few calls are declared here, as version 1 of QEMU's
 * plugin interface has them. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef uint64_t qemu_plugin_id_t;
struct qemu_plugin_tb;
struct qemu_plugin_insn;
typedef struct qemu_info_t qemu_info_t;
enum { CB_NO_REGS = 0, INLINE_ADD_U64 = 0 };

extern size_t qemu_plugin_tb_n_insns(const struct qemu_plugin_tb *tb);
extern struct qemu_plugin_insn *qemu_plugin_tb_get_insn(const struct qemu_plugin_tb *tb,
                                                        size_t index);
extern uint64_t qemu_plugin_insn_vaddr(const struct qemu_plugin_insn *insn);
extern void qemu_plugin_register_vcpu_tb_trans_cb(qemu_plugin_id_t id,
                                                  void (*cb)(qemu_plugin_id_t,
                                                             struct qemu_plugin_tb *));
extern void qemu_plugin_register_vcpu_insn_exec_inline(struct qemu_plugin_insn *insn, int op,
                                                       void *counter, uint64_t add);
extern void qemu_plugin_register_vcpu_insn_exec_cb(struct qemu_plugin_insn *insn,
                                                   void (*cb)(unsigned, void *), int flags,
                                                   void *context);

int qemu_plugin_version = 1;
int qemu_plugin_install(qemu_plugin_id_t id, const qemu_info_t *info, int count, char **arguments);

static uint64_t counter, port_begin, port_end, mark_one, mark_other;
static uint64_t total, entry, from, to, entered, most;
static int is_inside;
static FILE *out;

static void step_ended(unsigned cpu, void *name) {
    (void)cpu;
    fprintf(out, "%s %" PRIu64 "\n", (const char *)name, counter);
    fflush(out);
    counter = 0;
}

static void call_begins(unsigned cpu, void *context) {
    (void)cpu;
    (void)context;
    is_inside = 1;
    entered = total;
}

/* The caller goes on. */
static void call_ends(unsigned cpu, void *context) {
    (void)cpu;
    (void)context;
    if (is_inside && total - entered > most) {
        most = total - entered;
        fprintf(out, "call %" PRIu64 "\n", most);
        fflush(out);
    }
    is_inside = 0;
}

static void translate(qemu_plugin_id_t id, struct qemu_plugin_tb *tb) {
    (void)id;
    for (size_t i = 0; i < qemu_plugin_tb_n_insns(tb); i++) {
        struct qemu_plugin_insn *insn = qemu_plugin_tb_get_insn(tb, i);
        uint64_t at = qemu_plugin_insn_vaddr(insn);
        if (entry && at == entry)
            qemu_plugin_register_vcpu_insn_exec_cb(insn, call_begins, CB_NO_REGS, NULL);
        else if (entry && at >= from && at < to)
            qemu_plugin_register_vcpu_insn_exec_cb(insn, call_ends, CB_NO_REGS, NULL);
        if (entry)
            qemu_plugin_register_vcpu_insn_exec_inline(insn, INLINE_ADD_U64, &total, 1);
        if (at == mark_one)
            qemu_plugin_register_vcpu_insn_exec_cb(insn, step_ended, CB_NO_REGS, (void *)"one");
        else if (at == mark_other)
            qemu_plugin_register_vcpu_insn_exec_cb(insn, step_ended, CB_NO_REGS, (void *)"other");
        else if (at < port_begin || at >= port_end)
            qemu_plugin_register_vcpu_insn_exec_inline(insn, INLINE_ADD_U64, &counter, 1);
    }
}

__attribute__((visibility("default"))) int
qemu_plugin_install(qemu_plugin_id_t id, const qemu_info_t *info, int count, char **arguments) {
    (void)info;
    for (int i = 0; i < count; i++) {
        char *value = strchr(arguments[i], '=');
        if (!value++)
            return -1;
        if (strncmp(arguments[i], "begin=", 6) == 0)
            port_begin = strtoull(value, NULL, 16);
        else if (strncmp(arguments[i], "end=", 4) == 0)
            port_end = strtoull(value, NULL, 16);
        else if (strncmp(arguments[i], "one=", 4) == 0)
            mark_one = strtoull(value, NULL, 16);
        else if (strncmp(arguments[i], "other=", 6) == 0)
            mark_other = strtoull(value, NULL, 16);
        else if (strncmp(arguments[i], "entry=", 6) == 0)
            entry = strtoull(value, NULL, 16) & ~UINT64_C(1);
        else if (strncmp(arguments[i], "from=", 5) == 0)
            from = strtoull(value, NULL, 16) & ~UINT64_C(1);
        else if (strncmp(arguments[i], "to=", 3) == 0)
            to = strtoull(value, NULL, 16);
        else if (strncmp(arguments[i], "out=", 4) == 0)
            out = fopen(value, "w");
    }
    if (!out)
        return -1;
    qemu_plugin_register_vcpu_tb_trans_cb(id, translate);
    return 0;
}
