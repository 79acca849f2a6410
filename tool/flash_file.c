#include "tool/flash_file.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "compiler/reading/file_read.h"
#include "tool/options.h"
#include "tool/tool.h"

#define USUAL_SECTORS      16
#define USUAL_SECTOR_BYTES 4096
#define USUAL_UNIT_BYTES   8
#define USUAL_SLOTS        8
#define FILE_BYTES         ((size_t)64 << 20)

enum { OPTION_FLASH = 280, OPTION_SECTORS, OPTION_SECTOR_BYTES, OPTION_UNIT, OPTION_SLOTS };

static unsigned power_of_two(struct argp_state *state, const char *option, const char *argument,
                             unsigned least, unsigned most) {
    unsigned number = number_argument(state, option, argument, least, most);
    if (number & (number - 1))
        argp_error(state, "%s takes a power of two, not \"%s\"", option, argument);
    return number;
}

void flash_check(struct argp_state *state, const flash_options *options) {
    if (!options->path)
        argp_error(state, "say with --flash FILE which adapter: the file that its flash is in");
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    flash_options *options = state->input;
    switch (key) {
    case OPTION_FLASH:
        options->path = argument;
        return 0;
    case OPTION_SECTORS:
        options->sectors = number_argument(state, "--sectors", argument, 3, YT_STORE_SECTORS);
        return 0;
    case OPTION_SECTOR_BYTES:
        options->sector_bytes = power_of_two(state, "--sector-bytes", argument, 1024, 131072);
        return 0;
    case OPTION_UNIT:
        options->unit_bytes = power_of_two(state, "--unit", argument, 1, 32);
        return 0;
    case OPTION_SLOTS:
        options->slots = number_argument(state, "--slots", argument, 1, YT_STORE_SLOTS);
        return 0;
    case ARGP_KEY_END:
        if (!options->path &&
            (options->sectors || options->sector_bytes || options->unit_bytes || options->slots))
            flash_check(state, options);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static const struct argp_option known[] = {
    {"flash", OPTION_FLASH, "FILE", 0, "the adapter: a file with what is in its flash", 0},
    {"sectors", OPTION_SECTORS, "N", 0, "sectors of a new file; 16 if not given", 0},
    {"sector-bytes", OPTION_SECTOR_BYTES, "N", 0, "of one, 1024 to 131072; 4096 if not given", 0},
    {"unit", OPTION_UNIT, "N", 0,
     "bytes that are programmed at a time, 1 to 32, of a new file; 8 if not given", 0},
    {"slots", OPTION_SLOTS, "N", 0, "slots of the adapter, 1 to 64; 8 if not given", 0},
    {0}};

const struct argp flash_argp = {.options = known, .parser = parse};

/* A flash with that content, and the store in it. */
static bool open_as(flash_file *file, const nor_facts *facts, yt_status *status) {
    *status = YT_MEMORY;
    if (!nor_begin(&file->flash, facts, 1))
        return false;
    if (file->before)
        nor_fill(&file->flash, file->before);
    memset(&file->port, 0, sizeof file->port);
    nor_port(&file->flash, &file->port);
    free(file->sectors);
    file->sectors = calloc(facts->sectors, sizeof *file->sectors);
    if (file->sectors)
        *status =
            yt_store_open(&file->store, &file->port, file->slots, file->sectors, facts->sectors);
    return *status == YT_OK;
}

/* What was not said of a flash is tried, the usual first: the store knows what is its own. */
static yt_status try_facts(flash_file *file, size_t size) {
    static const unsigned sizes[] = {4096, 2048, 8192, 1024, 131072, 16384, 65536, 32768};
    static const unsigned units[] = {8, 4, 32, 16, 1, 2};
    const flash_options *options = file->options;
    yt_status status = YT_STORE_FOREIGN, worst = YT_STORE_FOREIGN;
    for (unsigned i = 0; i < 8 * 6 * 2; i++) {
        unsigned bytes = sizes[i / 12], unit = units[i / 2 % 6];
        const nor_facts facts = {.sectors = (uint32_t)(size / bytes),
                                 .sector_bytes = bytes,
                                 .unit_bytes = unit,
                                 .erased_value = i % 2 ? 0 : 0xff,
                                 .programs = 1,
                                 .is_mapped = true};
        if (size % bytes || facts.sectors > YT_STORE_SECTORS ||
            (options->sectors && facts.sectors != options->sectors) ||
            (options->sector_bytes && bytes != options->sector_bytes) ||
            (options->unit_bytes && unit != options->unit_bytes))
            continue;
        if (open_as(file, &facts, &status))
            return YT_OK;
        if (status == YT_STORE_NEWER)
            worst = status;
        nor_end(&file->flash);
    }
    return worst;
}

static bool is_all_erased(const uint8_t *bytes, size_t size) {
    size_t i = 0;
    while (i < size && bytes[i] == bytes[0])
        i++;
    return i == size;
}

static bool open_there(flash_file *file, size_t size) {
    const flash_options *options = file->options;
    if (is_all_erased(file->before, size) && (!options->sector_bytes || !options->unit_bytes))
        return refuse(options->path,
                      "it is empty: say what it is like, with --sector-bytes and --unit");
    yt_status status = try_facts(file, size);
    bool is_said = options->sectors || options->sector_bytes || options->unit_bytes;
    if (status == YT_STORE_NEWER)
        return refuse(options->path, status_text(status));
    return status == YT_OK ||
           refuse(options->path, is_said ? "no slots are in it, or not with these sectors and units"
                                         : "no slots are in it: it is something else, or broken");
}

static bool open_new(flash_file *file) {
    const flash_options *options = file->options;
    const nor_facts facts = {
        .sectors = options->sectors ? options->sectors : USUAL_SECTORS,
        .sector_bytes = options->sector_bytes ? options->sector_bytes : USUAL_SECTOR_BYTES,
        .unit_bytes = options->unit_bytes ? options->unit_bytes : USUAL_UNIT_BYTES,
        .erased_value = 0xff,
        .programs = 1,
        .is_mapped = true};
    yt_status status;
    if ((size_t)facts.sectors * facts.sector_bytes > FILE_BYTES)
        return refuse(options->path, "a flash in a file has at most 64 MiB");
    if (open_as(file, &facts, &status))
        return true;
    return refuse(options->path,
                  status == YT_PORT ? "too few sectors for so many slots" : status_text(status));
}

static void begin(flash_file *file, const flash_options *options) {
    *file = (flash_file){.options = options, .slots = options->slots};
    if (!file->slots)
        file->slots = USUAL_SLOTS;
    file->flash.file = -1;
}

bool flash_file_in_memory(flash_file *file, const flash_options *options) {
    begin(file, options);
    return open_new(file);
}

bool flash_file_open(flash_file *file, const flash_options *options, bool makes) {
    const char *why;
    size_t size;
    begin(file, options);
    bool is_there = access(options->path, F_OK) == 0;
    if (!is_there && makes)
        return open_new(file);
    file->before = (uint8_t *)file_read(options->path, FILE_BYTES, &size, &why);
    if (!file->before)
        return refuse(options->path, why);
    if (size <= FILE_BYTES && size >= 3072 && open_there(file, size))
        return true;
    if (size > FILE_BYTES || size < 3072)
        refuse(options->path, "this is no flash: it has 3 KiB to 64 MiB");
    flash_file_close(file);
    return false;
}

bool flash_file_save(flash_file *file) {
    const nor_flash *flash = &file->flash;
    whole_file out;
    if (file->before && memcmp(file->before, flash->now, flash->size) == 0)
        return true;
    if (!(file->before ? whole_file_replace(&out, file->options->path)
                       : whole_file_open(&out, file->options->path, CONTENT_BYTES)))
        return false;
    fwrite(flash->now, 1, flash->size, out.file);
    if (!whole_file_close(&out))
        return false;
    bool is_new = !file->before;
    if (is_new)
        file->before = malloc(flash->size);
    if (file->before)
        memcpy(file->before, flash->now, flash->size);
    if (is_new)
        fprintf(stderr, "%s: a new flash, of %u sectors of %u bytes, in units of %u\n",
                file->options->path, (unsigned)flash->facts.sectors,
                (unsigned)flash->facts.sector_bytes, (unsigned)flash->facts.unit_bytes);
    return true;
}

void flash_file_close(flash_file *file) {
    nor_end(&file->flash);
    free(file->sectors);
    free(file->before);
    *file = (flash_file){0};
    file->flash.file = -1;
}
