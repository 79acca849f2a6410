/* A real kernel's hidraw node between a host and the link: what the command says gets there, and
 * the answers come back. usage: linked_test MACHINE INIT FOLDER */
#include <string.h>
#include <unistd.h>

#include "tests/harness.h"
#include "tests/linux/machine.h"
#include "yonder/link.h"

int main(int count, char **arguments) {
    char path[600], line[300], expected[8][80];
    unsigned at = 0;
    int status;
    if (count != 4)
        return 2;
    snprintf(path, sizeof path, "%s/linked.job", arguments[3]);
    FILE *job = fopen(path, "w");
    if (!job)
        return 1;
    fputs("linked\n", job);
    fclose(job);
    FILE *machine = machine_start(arguments[1], arguments[2], path, &status);
    if (!machine)
        return status;
    snprintf(expected[0], 80, "linked hello %d\n", YT_RESULT_DONE);
    snprintf(expected[1], 80, "linked build %d in a kernel\n", YT_RESULT_DONE);
    snprintf(expected[2], 80, "linked locked %d\n", YT_RESULT_PRESS);
    snprintf(expected[3], 80, "linked unlocked %d\n", YT_RESULT_DONE);
    snprintf(expected[4], 80, "linked written %d\n", YT_RESULT_DONE);
    snprintf(expected[5], 80, "linked read %d the same\n", YT_RESULT_DONE);
    snprintf(expected[6], 80, "linked end\n");
    while (fgets(line, sizeof line, machine)) {
        if (strncmp(line, "linked ", 7) != 0)
            continue;
        about("line %u", at + 1);
        CHECK_TEXT(line, at < 7 ? expected[at] : "");
        at++;
    }
    CHECK_EQUAL(at, 7);
    CHECK_EQUAL(pclose(machine), 0);
    unlink(path);
    return report_checks();
}
