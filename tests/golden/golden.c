/* What the engine gives in sessions that are made of seeds (play.h), as checksums that are kept:
 * whoever changes the engine's form sees whether a host would notice.
 *
 *     golden write FILE          keeps what comes now
 *     golden compare FILE        says where it is another than what is kept
 *     golden pack FILE           writes all sessions for an image
 *     golden judge FILE CAME     compares what an image gave
 *     golden show NAME SEED      prints a session's reports */
#include <glob.h>
#include <inttypes.h>

#include "compiler/profile/compile.h"
#include "tests/engine/made.h"
#include "tests/golden/play.h"
#include "tests/harness.h"

#define SEEDS    12  /* of each profile of the demo */
#define MADE     400 /* profiles that are made */
#define SESSIONS 2000

typedef struct session {
    char name[64];
    uint32_t seed;
    const yt_compiled *compiled;
} session;

static session sessions[SESSIONS];
static size_t session_count;

static void add_sessions(const char *name, const yt_compiled *compiled, unsigned seeds) {
    for (unsigned seed = 1; seed <= seeds && session_count < SESSIONS; seed++) {
        session *session = &sessions[session_count++];
        snprintf(session->name, sizeof session->name, "%s", name);
        session->seed = seed;
        session->compiled = compiled;
    }
}

/* A profile that is kept until the end. */
typedef struct kept {
    struct kept *next;
    yt_compiled compiled;
    yt_messages messages;
    char text[];
} kept;

static kept *all_kept;

/* False: it is no profile. */
static bool add_profile(const char *name, const char *said, const char *text, size_t size,
                        unsigned seeds) {
    kept *added = calloc(1, sizeof *added + size + 1);
    if (!added)
        exit(1);
    memcpy(added->text, text, size);
    messages_begin(&added->messages, said, added->text, size);
    bool good = compile_profile(&added->compiled, &added->messages);
    if (!good) {
        messages_free(&added->messages);
        free(added);
        return false;
    }
    added->next = all_kept;
    all_kept = added;
    add_sessions(name, &added->compiled, seeds);
    return true;
}

static void add_demo(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size);
    const char *name = strrchr(path, '/') + 1;
    char said[100]; /* descriptions are the demo's */
    snprintf(said, sizeof said, "crane/%s", name);
    if (!add_profile(name, strstr(path, "tests/") ? said : path, text, size, SEEDS))
        exit(1);
    free(text);
}

static void add_made(void) {
    static making making;
    dice dice = {2024};
    for (unsigned i = 0; i < MADE; i++) {
        uint8_t bytes[700];
        char name[40];
        for (size_t k = 0; k < sizeof bytes; k++)
            bytes[k] = (uint8_t)roll(&dice);
        made_profile(&making, bytes, 100 + roll_below(&dice, sizeof bytes - 100));
        snprintf(name, sizeof name, "made-%03u", i);
        add_profile(name, "made", making.text, making.length, 1); /* some are none */
    }
}

static void add_all(void) {
    glob_t found = {0};
    glob("crane/*.yaml", 0, NULL, &found);
    glob("crane/ready/*.yaml", GLOB_APPEND, NULL, &found);
    glob("tests/image/*.yaml", GLOB_APPEND, NULL, &found);
    for (size_t i = 0; i < found.gl_pathc; i++)
        add_demo(found.gl_pathv[i]);
    globfree(&found);
    add_made();
}

static played play_here(const session *session, play_sink *sink) {
    static uint64_t memory[1 << 16];
    return play(session->compiled->image, session->compiled->size, memory, sizeof memory,
                session->seed, sink, NULL);
}

static int write_all(const char *path) {
    FILE *file = fopen(path, "w");
    if (!file)
        return 1;
    fprintf(file,
            "# What the engine gives: profile, seed, checksum, reports; made by tests/golden.\n");
    for (size_t i = 0; i < session_count; i++) {
        played played = play_here(&sessions[i], NULL);
        fprintf(file, "%s %u %08" PRIx32 " %u\n", sessions[i].name, sessions[i].seed,
                played.checksum, played.reports);
    }
    return fclose(file) == 0 ? 0 : 1;
}

/* The line that is kept of the session that comes next; sessions and lines are in one order. */
static bool next_line(char **at, const session *session, uint32_t *checksum, unsigned *reports) {
    char name[64] = "";
    unsigned seed = 0;
    while (**at == '#')
        *at += strcspn(*at, "\n") + 1;
    bool good = sscanf(*at, "%63s %u %" SCNx32 " %u", name, &seed, checksum, reports) == 4;
    *at += strcspn(*at, "\n") + (**at != 0);
    about("session %s %u", session->name, session->seed);
    CHECK_TEXT(name, session->name);
    CHECK_EQUAL(seed, session->seed);
    return good;
}

static int compare(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size), *at = text;
    uint64_t all = 0;
    for (size_t i = 0; i < session_count; i++) {
        uint32_t checksum = 0;
        unsigned reports = 0;
        CHECK(next_line(&at, &sessions[i], &checksum, &reports));
        played played = play_here(&sessions[i], NULL);
        CHECK_EQUAL(played.status, YT_OK);
        CHECK_EQUAL(played.reports, reports);
        CHECK_EQUAL(played.checksum, checksum);
        all += played.reports;
    }
    CHECK_EQUAL(*at, 0);
    CHECK(all > 100000);
    printf("%zu sessions, %" PRIu64 " reports\n", session_count, all);
    free(text);
    return report_checks();
}

static int pack(const char *path) {
    FILE *file = fopen(path, "wb");
    if (!file)
        return 1;
    for (size_t i = 0; i < session_count; i++) {
        const uint32_t head[2] = {(uint32_t)sessions[i].compiled->size, sessions[i].seed};
        fwrite(head, sizeof head, 1, file);
        fwrite(sessions[i].compiled->image, 1, sessions[i].compiled->size, file);
    }
    return fclose(file) == 0 ? 0 : 1;
}

static int judge(const char *path, const char *came) {
    size_t size, came_size;
    char *text = read_test_file(path, &size), *at = text;
    char *bytes = read_test_file(came, &came_size);
    unsigned compared = 0;
    CHECK_EQUAL(came_size, session_count * sizeof(played));
    for (size_t i = 0; i < session_count && (i + 1) * sizeof(played) <= came_size; i++) {
        uint32_t checksum = 0;
        unsigned reports = 0;
        played played;
        memcpy(&played, bytes + i * sizeof played, sizeof played);
        CHECK(next_line(&at, &sessions[i], &checksum, &reports));
        CHECK(played.status == YT_OK || played.status == YT_MEMORY);
        if (played.status != YT_OK)
            continue;
        CHECK_EQUAL(played.reports, reports);
        CHECK_EQUAL(played.checksum, checksum);
        compared++;
    }
    printf("%u of %zu sessions fit into the image, all the same\n", compared, session_count);
    about("enough of them fit");
    CHECK(compared * 3 > session_count);
    free(bytes);
    free(text);
    return report_checks();
}

static void print_report(void *context, uint64_t time_us, bool to_host, unsigned number,
                         const uint8_t *bytes, size_t size) {
    (void)context;
    printf("%10" PRIu64 " us  %s %u ", time_us, to_host ? "interface" : "device   ", number);
    for (size_t i = 0; i < size; i++)
        printf(" %02x", bytes[i]);
    printf("\n");
}

static int show(const char *name, unsigned seed) {
    for (size_t i = 0; i < session_count; i++)
        if (strcmp(sessions[i].name, name) == 0 && sessions[i].seed == seed)
            return play_here(&sessions[i], print_report).status == YT_OK ? 0 : 1;
    return 2;
}

int main(int count, char **arguments) {
    add_all();
    if (count == 3 && strcmp(arguments[1], "write") == 0)
        return write_all(arguments[2]);
    if (count == 3 && strcmp(arguments[1], "compare") == 0)
        return compare(arguments[2]);
    if (count == 3 && strcmp(arguments[1], "pack") == 0)
        return pack(arguments[2]);
    if (count == 4 && strcmp(arguments[1], "judge") == 0)
        return judge(arguments[2], arguments[3]);
    if (count == 4 && strcmp(arguments[1], "show") == 0)
        return show(arguments[2], (unsigned)atoi(arguments[3]));
    return 2;
}
