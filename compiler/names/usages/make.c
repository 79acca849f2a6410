/* Makes the table of usages, as C, out of usages.txt: make USAGES TABLE.
 *
 * The table lists the pages, and for each its usages in ascending order. */
#include <ctype.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PAGES  32
#define NAMES  2048
#define LENGTH 64

typedef struct yt_description_reading {
    const char *path;
    int line;
    FILE *to;
    unsigned first[PAGES + 1]; /* of each page: its first usage in the table */
    unsigned numbers[PAGES];
    char pages[PAGES][LENGTH];
    char names[NAMES][LENGTH];
    unsigned page_count;
    unsigned count;
    unsigned last;
} yt_description_reading;

static void fail(const yt_description_reading *reading, const char *what) {
    fprintf(stderr, "%s:%d: %s\n", reading->path, reading->line, what);
    exit(1);
}

static void check_name(const yt_description_reading *reading, const char *name) {
    for (const char *at = name; *at; at++)
        if (!islower((unsigned char)*at) && !isdigit((unsigned char)*at) && *at != '_')
            fail(reading, "a name is a to z, 0 to 9 and _");
}

static void begin_page(yt_description_reading *reading, const char *text) {
    unsigned page = reading->page_count;
    if (page == PAGES)
        fail(reading, "too many pages");
    if (sscanf(text, "page %x %63s", &reading->numbers[page], reading->pages[page]) != 2)
        fail(reading, "a page is: page NUMBER NAME  TITLE");
    if (page > 0 && reading->numbers[page] <= reading->numbers[page - 1])
        fail(reading, "pages are in ascending order");
    check_name(reading, reading->pages[page]);
    reading->first[reading->page_count++] = reading->count;
    reading->last = 0;
}

static void read_usage(yt_description_reading *reading, const char *text) {
    char mark;
    int end = 0;
    unsigned number, first = reading->page_count ? reading->first[reading->page_count - 1] : 0;
    if (reading->page_count == 0 || reading->count == NAMES)
        fail(reading, "too many usages, or one before the first page");
    char *name = reading->names[reading->count];
    if (sscanf(text, "%x%c %63s %n", &number, &mark, name, &end) != 3 ||
        (mark != ' ' && mark != '!') || end == 0)
        fail(reading, "a usage is: NUMBER NAME  TEXT");
    check_name(reading, name);
    if (number == 0 || number > 0xffff || number <= reading->last)
        fail(reading, "usages are numbers from 1 to ffff in ascending order");
    for (unsigned i = first; i < reading->count; i++)
        if (strcmp(reading->names[i], name) == 0)
            fail(reading, "the page has a usage of that name already");
    fprintf(reading->to, "    {0x%04x, \"%s\", \"", number, name);
    for (const char *at = text + end; *at && *at != '\n'; at++)
        fprintf(reading->to, *at == '"' || *at == '\\' || *at == '?' ? "\\%c" : "%c", *at);
    fprintf(reading->to, "\"},\n");
    reading->last = number;
    reading->count++;
}

static void write_pages(yt_description_reading *reading) {
    reading->first[reading->page_count] = reading->count;
    fprintf(reading->to, "};\n\nstatic const yt_usage_page pages[] = {\n");
    for (unsigned i = 0; i < reading->page_count; i++)
        fprintf(reading->to, "    {0x%04x, \"%s\", %u, %u},\n", reading->numbers[i],
                reading->pages[i], reading->first[i], reading->first[i + 1] - reading->first[i]);
    fprintf(reading->to, "};\n");
}

int main(int count, char **arguments) {
    static yt_description_reading reading;
    char text[256];
    if (count != 3) {
        fprintf(stderr, "usage: make USAGES TABLE\n");
        return 2;
    }
    reading.path = arguments[1];
    FILE *from = fopen(arguments[1], "r");
    reading.to = fopen(arguments[2], "w");
    if (!from || !reading.to)
        fail(&reading, "cannot be opened, or the table cannot be written");
    fprintf(reading.to, "static const yt_usage_entry usages[] = {\n");
    while (fgets(text, sizeof text, from)) {
        reading.line++;
        if (text[0] == '#' || text[0] == '\n')
            continue;
        if (strncmp(text, "page ", 5) == 0)
            begin_page(&reading, text);
        else
            read_usage(&reading, text);
    }
    write_pages(&reading);
    fclose(from);
    return fclose(reading.to) == 0 ? 0 : 1;
}
