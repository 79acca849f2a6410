/* What the commands of `yonder` share. Each returns the exit status: 0, 1 (the work failed) or 2
 * (the call was wrong). */
#ifndef YONDER_TOOL_TOOL_H
#define YONDER_TOOL_TOOL_H

#include <jansson.h>
#include <stdbool.h>
#include <stdio.h>

#include "compiler/formulas/naming.h"
#include "compiler/profile/compile.h"
#include "compiler/reading/kept_text.h"
#include "ports/sim/simulation.h"

int command_list(int count, char **arguments);
int command_permit(int count, char **arguments);
int command_describe(int count, char **arguments);
int command_watch(int count, char **arguments);
int command_new(int count, char **arguments);
int command_check(int count, char **arguments);
int command_compile(int count, char **arguments);
int command_run(int count, char **arguments);
int command_record(int count, char **arguments);
int command_calibrate(int count, char **arguments);
int command_measure(int count, char **arguments);
int measure_camera(int count, char **arguments); /* yonder measure camera */
int command_plot(int count, char **arguments);
int command_format(int count, char **arguments);
int command_text(int count, char **arguments);
int command_slots(int count, char **arguments);
int command_settings(int count, char **arguments);
int command_adapter(int count, char **arguments);
int command_sim(int count, char **arguments);
int command_serve(int count, char **arguments);
int command_obstacles(int count, char **arguments);
int command_share(int count, char **arguments);
int command_take(int count, char **arguments);
int command_explain(int count, char **arguments);
int command_names(int count, char **arguments);
int command_functions(int count, char **arguments);
int command_demo(int count, char **arguments);
int command_assign(int count, char **arguments);

/* A profile with its text; the text must live as long as messages are printed. */
typedef struct profile {
    char *source;
    yt_messages messages;
    yt_compiled compiled;
} profile;

/* The longest file that holds a program and the text behind it. */
#define PROGRAM_FILE_BYTES (YT_PROGRAM_BYTES + KEPT_FILES * ((size_t)DOCUMENT_BYTES + 512))

/* The same without a word: of what is wrong the messages stay, until profile_discard. A file that
 * cannot be read is said. */
typedef enum opening { OPENING_GOOD, OPENING_WRONG, OPENING_UNREADABLE } opening;
opening profile_try(profile *profile, const char *path);
void profile_discard(profile *profile);

/* Reads and compiles a profile. False: what is wrong stands on standard error. */
bool profile_open(profile *profile, const char *path);

/* The same of a text; what is wrong is told as of a file of that name. */
bool profile_compile(profile *profile, const char *path, const char *text);

/* What `yonder new` writes for devices; NULL: said on standard error. To be freed. */
char *new_profile(const char *const *from, unsigned count, const char *to);

/* The profile of nothing but an output of this kind, to know its controls: output 0. */
bool profile_of_output(profile *profile, const char *kind);
void profile_close(profile *profile);

/* The program with the text behind it, that of all files that the profile names; in its pool. */
const uint8_t *profile_with_text(profile *profile, size_t *size);

/* A text of up to DOCUMENT_BYTES + 1 bytes, with a 0 behind it; NULL: said on standard error. To be
 * freed. */
char *read_text(const char *path, size_t *size);

/* The bytes of a file that begins as a program does, with the text behind it, aligned for
 * yt_program_check, which looks at all else; NULL: it is none, `why` says why. To be freed. */
uint8_t *read_program(const char *path, size_t *size, const char **why);

/* Of a program's text, what to give: a file by its name (NULL: the profile), or the list of them.
 */
typedef struct text_wanted {
    const char *file;
    const char *out; /* NULL: standard output */
    bool list;
    bool json; /* the list of them */
} text_wanted;

/* What does not go together in a call; NULL: all does. */
const char *text_wrong(const text_wanted *wanted);

/* Gives it. `where` is what the program stands in, `none` what to do where it has no text. False:
 * said on standard error. */
bool text_give(const text_wanted *wanted, const char *where, const char *none,
               const uint8_t *program, size_t size);

/* Reads what is plugged in as an input (or YT_ANY_INPUT): a recording or, of a board, a log. False:
 * said on standard error. */
bool plug_open(recording *recording, const yt_compiled *compiled, unsigned input, const char *path);

/* A file that is whole or not there: it gets its name when it is closed well. */
typedef struct whole_file {
    FILE *file;
    char *path;      /* NULL: standard output */
    char *temporary; /* NULL: it is written in place, as a pipe is */
    bool replaces;   /* the file that was read */
} whole_file;

/* False: what is wrong with something is said on standard error. */
bool refuse(const char *what, const char *why);

typedef enum content { CONTENT_TEXT, CONTENT_BYTES } content;

/* "-" is standard output, where text is made plain and bytes are not. A file that was read is not
 * written. False: said on standard error. */
bool whole_file_open(whole_file *file, const char *path, content content);

/* For a file that was read, and whose text is changed: what was there stays until it is closed. */
bool whole_file_replace(whole_file *file, const char *path);
bool whole_file_close(whole_file *file);
void whole_file_abandon(whole_file *file);

/* All that changed in a run, in the order of time. */
typedef struct change_list {
    sim_change *list;
    size_t count, room;
} change_list;

/* Whether a change went out, to a host or to a device's lights; else it came in. */
bool change_goes_out(const sim_change *change);

void change_list_add(void *list, const sim_change *change);
void change_list_sort(change_list *list);
void change_list_free(change_list *list);

/* Reads what a host sends back, lines such as "1.5, pad.rumble.strong, 80%"; NULL: said on standard
 * error. To be freed. */
sim_sent *feedback_read(const profile *profile, const char *path, size_t *count);

/* The full name ("pad.south") of a control that an interface's host sees; `meaning` may be NULL. */
void output_control_name(const yt_compiled *compiled, unsigned interface,
                         const host_control *control, char *text, size_t size,
                         yt_raw_meaning *meaning);

/* The fields of a device, read once. */
const yt_device_fields *fields_of_device(const recorded_device *device);

/* The name of a device's control by its description (NULL: it has none), else as what its
 * collection is; `text` has USAGE_NAME_BYTES. */
void device_control_name(const recorded_device *device, const yt_description *description,
                         const host_control *control, char *text, yt_raw_meaning *meaning);

/* The name of an input's control, without the input's own, into `text`, of USAGE_NAME_BYTES. */
void input_control_name(const yt_profile_input *input, const recorded_device *device,
                        const host_control *control, char *text, yt_raw_meaning *meaning);

/* The name of a light or motor of a device, without its input's own. `inputs`: a bit for each input
 * that the device is. */
void target_name(const yt_compiled *compiled, uint32_t inputs, const recorded_device *device,
                 const host_control *control, char *text, yt_raw_meaning *meaning);

/* Whether the profile has to do with a control: all of its outputs', and the inputs' that it reads.
 */
bool change_is_used(const profile *profile, const sim_plug *plugs, const sim_change *change);

/* Whether the profile reads a control of an input. */
bool profile_reads(const profile *profile, unsigned input, const host_control *control);

/* The full name of a control that changed, and what its raw numbers mean (NULL: not asked for). */
void change_name(const profile *profile, const sim_plug *plugs, const sim_change *change,
                 char *text, size_t size, yt_raw_meaning *meaning);

/* Prints a profile's or a description's messages to standard error, in colour on a terminal. */
void say_messages(yt_messages *messages);

/* A raw number for people, with what formulas see of it; printed, what is pressed has a colour. */
void raw_text(const yt_raw_meaning *meaning, int64_t raw, char *text, size_t size);
void print_raw_value(FILE *file, const yt_raw_meaning *meaning, int64_t raw);
void print_changes(FILE *file, const profile *profile, const sim_plug *plugs,
                   const change_list *changes);

/* The same for programs: one change, and all of them. */
json_t *change_as_json(uint64_t time_us, bool goes_out, const char *name,
                       const yt_raw_meaning *meaning, int64_t raw);
json_t *changes_of(const profile *profile, const sim_plug *plugs, const change_list *changes);

/* Writes the controls of a recorded device as a table. */
void print_device(FILE *file, const recorded_device *device, size_t reports);

/* The same of an output, as its host sees it. */
void print_host_view(FILE *file, const recorded_device *device);

/* An image as a C array, with the header that declares it (NULL: none); `name` is an identifier. */
void print_c_array(FILE *file, const char *name, const char *header, const uint8_t *bytes,
                   size_t size);
void print_c_header(FILE *file, const char *name, size_t size);
/* Writes an image as a C array into a file whose name ends in .c, and a header beside it; to
 * standard output ("-") without a header. False: said on standard error. */
bool write_c_array(const char *path, const char *name, const uint8_t *bytes, size_t size);

/* The IDs that a simulated interface has in recordings. */
#define OUTPUT_VENDOR  0x1209
#define OUTPUT_PRODUCT 0x0008 /* and one more for each interface behind the first */

/* Names an interface for a recording: the profile's name and those of its outputs. */
void interface_title(const profile *profile, unsigned interface, char *text, size_t size);

#endif
