#include "tool/c_firmware.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "firmware_text.h"
#include "tool/slots.h"

#define REPORT_BYTES  32768 /* that stand in an image */
#define TAIL_US       1000000
#define POINTER_BYTES 4
#define FILES         6

/* A report, of which of the devices that the firmware attaches. */
typedef struct played {
    uint64_t time_us;
    unsigned device;
    const uint8_t *bytes;
    size_t size;
} played;

typedef struct firmware {
    const profile *profile;
    const recorded_device *devices[YT_DEVICES];
    unsigned inputs[YT_DEVICES]; /* that they were plugged in as */
    unsigned device_count;
    uint32_t taken[YT_DEVICES]; /* the inputs that each was taken for */
    played *reports;
    size_t report_count, left_out;
} firmware;

static yt_device device_of(const recorded_device *device, unsigned input) {
    return (yt_device){.descriptor = device->descriptor,
                       .descriptor_size = device->descriptor_size,
                       .vendor = device->vendor,
                       .product = device->product,
                       .name = device->name,
                       .bus = (uint8_t)device->bus,
                       .input = (uint8_t)input};
}

/* Of what is plugged in, what the program has a use for; as the firmware will attach it. */
static bool find_devices(firmware *firmware, const plugged *plugged, unsigned *places) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    static uint64_t memory[1 << 17];
    yt_engine engine;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, firmware->profile->compiled.image,
                       firmware->profile->compiled.size) != YT_OK)
        return refuse("the program", "it does not run here");
    for (unsigned i = 0; i < plugged->count; i++) {
        const recording *recording = plugged->plugs[i].recording;
        for (size_t k = 0; k < recording->device_count; k++) {
            yt_device device = device_of(&recording->devices[k], plugged->plugs[i].input);
            unsigned number;
            if (k >= YT_DEVICES || yt_engine_attach(&engine, &device, &number) != YT_OK)
                continue;
            firmware->taken[firmware->device_count] = yt_engine_inputs_of(&engine, number);
            firmware->inputs[firmware->device_count] = plugged->plugs[i].input;
            firmware->devices[firmware->device_count++] = &recording->devices[k];
            places[i * YT_DEVICES + k] = firmware->device_count; /* 0: it is not used */
        }
    }
    return true;
}

static int by_time(const void *one, const void *other) {
    const played *a = one, *b = other;
    if (a->time_us != b->time_us)
        return a->time_us < b->time_us ? -1 : 1;
    return a->bytes < b->bytes ? -1 : a->bytes > b->bytes; /* as they came, within a recording */
}

static void find_reports(firmware *firmware, const plugged *plugged, const unsigned *places) {
    size_t all = 0, bytes = 0;
    for (unsigned i = 0; i < plugged->count; i++)
        all += plugged->plugs[i].recording->report_count;
    firmware->reports = calloc(all + 1, sizeof *firmware->reports);
    if (!firmware->reports)
        abort();
    for (unsigned i = 0; i < plugged->count; i++) {
        const recording *recording = plugged->plugs[i].recording;
        for (size_t k = 0; k < recording->report_count; k++) {
            const recorded_report *report = &recording->reports[k];
            unsigned place =
                report->device < YT_DEVICES ? places[i * YT_DEVICES + report->device] : 0;
            if (place == 0)
                continue;
            firmware->reports[firmware->report_count++] = (played){
                report->time_us, place - 1, recording->bytes + report->offset, report->size};
        }
    }
    qsort(firmware->reports, firmware->report_count, sizeof *firmware->reports, by_time);
    for (size_t i = 0; i < firmware->report_count; i++) {
        bytes += firmware->reports[i].size + 12;
        if (bytes > REPORT_BYTES) {
            firmware->left_out = firmware->report_count - i;
            firmware->report_count = i;
        }
    }
}

static void print_bytes(FILE *file, const uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        fprintf(file, "%s0x%02x,", i % 16 ? " " : "\n    ", bytes[i]);
}

/* Text in a string of C: what is no letter, digit or space, by its number. */
static void print_string(FILE *file, const char *text) {
    putc('"', file);
    for (; *text; text++) {
        unsigned char byte = (unsigned char)*text;
        if (byte >= ' ' && byte < 127 && !strchr("\"\\?", byte))
            putc(byte, file);
        else
            fprintf(file, "\\%03o", byte);
    }
    putc('"', file);
}

static void print_reports_header(FILE *file, const firmware *firmware) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    const yt_program *program = &firmware->profile->compiled.program;
    size_t memory = yt_engine_bytes(program, &port, POINTER_BYTES) + yt_engine_spare_bytes(program);
    for (unsigned i = 0; i < firmware->device_count; i++)
        memory += yt_engine_device_bytes(program, firmware->taken[i]);
    uint64_t end_us = TAIL_US;
    if (firmware->report_count > 0)
        end_us += firmware->reports[firmware->report_count - 1].time_us;
    fprintf(file,
            "/* What the firmware plays. Made by `yonder compile --c-firmware`. */\n"
            "#ifndef REPORTS_H\n#define REPORTS_H\n\n#include \"yonder/yonder.h\"\n\n"
            "#define PLAYED_MEMORY  %zu /* bytes that the engine needs, with these devices */\n"
            "#define PLAYED_DEVICES %uu\n#define PLAYED_REPORTS %zuu\n"
            "#define PLAYED_END_US  %lluu\n\n"
            "typedef struct played_report {\n    uint64_t time_us;\n    uint32_t at; /* of its "
            "first byte in played_bytes */\n    uint16_t size;\n    uint16_t device;\n} "
            "played_report;\n\n"
            "extern const yt_device played_devices[PLAYED_DEVICES + 1];\n"
            "extern const played_report played_reports[PLAYED_REPORTS + 1];\n"
            "extern const uint8_t played_bytes[];\n\n#endif\n",
            (memory + 7) / 8 * 8, firmware->device_count, firmware->report_count,
            (unsigned long long)end_us);
}

static void print_reports(FILE *file, const firmware *firmware) {
    fputs("/* What the firmware plays. Made by `yonder compile --c-firmware`. */\n"
          "#include \"reports.h\"\n\n",
          file);
    for (unsigned i = 0; i < firmware->device_count; i++) {
        fprintf(file, "static const uint8_t descriptor_%u[] = {", i);
        print_bytes(file, firmware->devices[i]->descriptor, firmware->devices[i]->descriptor_size);
        fputs(firmware->devices[i]->descriptor_size ? "\n};\n\n" : "0};\n\n", file);
    }
    fputs("const yt_device played_devices[PLAYED_DEVICES + 1] = {\n", file);
    for (unsigned i = 0; i < firmware->device_count; i++) {
        const recorded_device *device = firmware->devices[i];
        fprintf(file,
                "    {.descriptor = descriptor_%u,\n     .descriptor_size = %zu,\n"
                "     .vendor = 0x%04x,\n     .product = 0x%04x,\n     .name = ",
                i, device->descriptor_size, device->vendor, device->product);
        print_string(file, device->name);
        fprintf(file, ",\n     .bus = %u,\n     .input = %u},\n", device->bus, firmware->inputs[i]);
    }
    fputs("    {0}};\n\nconst played_report played_reports[PLAYED_REPORTS + 1] = {\n", file);
    size_t at = 0;
    for (size_t i = 0; i < firmware->report_count; i++) {
        const played *report = &firmware->reports[i];
        fprintf(file, "    {%lluu, %zu, %zu, %u},\n", (unsigned long long)report->time_us, at,
                report->size, report->device);
        at += report->size;
    }
    fputs("    {0}};\n\nconst uint8_t played_bytes[] = {", file);
    for (size_t i = 0; i < firmware->report_count; i++)
        print_bytes(file, firmware->reports[i].bytes, firmware->reports[i].size);
    fputs("\n    0};\n", file);
}

typedef struct text {
    char *bytes;
    size_t size;
} text;

static const char *const names[FILES] = {"firmware.c", "CMakeLists.txt", "program.c",
                                         "program.h",  "reports.c",      "reports.h"};

/* The files' texts, in the order of their names. */
static void print_files(const firmware *firmware, text *texts) {
    const yt_compiled *compiled = &firmware->profile->compiled;
    FILE *files[FILES];
    for (unsigned i = 0; i < FILES; i++)
        if (!(files[i] = open_memstream(&texts[i].bytes, &texts[i].size)))
            abort();
    fwrite(firmware_text, 1, sizeof firmware_text, files[0]);
    fwrite(firmware_cmake_text, 1, sizeof firmware_cmake_text, files[1]);
    print_c_array(files[2], "program", "program.h", compiled->image, compiled->size);
    print_c_header(files[3], "program", compiled->size);
    print_reports(files[4], firmware);
    print_reports_header(files[5], firmware);
    for (unsigned i = 0; i < FILES; i++)
        fclose(files[i]);
}

static bool write_files(const char *folder, const text *texts, bool force) {
    char path[4096];
    for (unsigned i = 0; i < FILES && !force; i++) {
        snprintf(path, sizeof path, "%s/%s", folder, names[i]);
        if (access(path, F_OK) == 0)
            return refuse(path, "it is there; nothing was written; --force replaces it");
    }
    for (unsigned i = 0; i < FILES; i++) {
        const yt_kept_file file = {names[i], strlen(names[i]), texts[i].bytes, texts[i].size};
        if (!tame_file_write(folder, &file, force, false))
            return false;
    }
    return true;
}

bool write_c_firmware(const char *folder, const profile *profile, const plugged *plugged,
                      bool force) {
    firmware firmware = {.profile = profile};
    text texts[FILES];
    unsigned places[YT_DEVICES * YT_DEVICES] = {0};
    if (!find_devices(&firmware, plugged, places))
        return false;
    find_reports(&firmware, plugged, places);
    print_files(&firmware, texts);
    bool good = write_files(folder, texts, force);
    for (unsigned i = 0; i < FILES; i++)
        free(texts[i].bytes);
    if (good)
        printf("%s: a firmware that plays %zu reports of %u %s; its firmware.c says how to build "
               "it\n",
               folder, firmware.report_count, firmware.device_count,
               firmware.device_count == 1 ? "device" : "devices");
    if (good && firmware.left_out > 0)
        printf("%zu reports behind them are left out: an image has room for %d bytes\n",
               firmware.left_out, REPORT_BYTES);
    free(firmware.reports);
    return good;
}
