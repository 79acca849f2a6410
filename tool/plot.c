#include "tool/plot.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "compiler/messages/plain.h"
#include "tool/tool.h"

static bool is_svg(const char *path) {
    size_t length = strlen(path);
    return length > 4 && strcmp(path + length - 4, ".svg") == 0;
}

void plot_begin(plot *plot, const char *path, unsigned height) {
    memset(plot, 0, sizeof *plot);
    plot->commands = open_memstream(&plot->command_text, &plot->command_bytes);
    plot->texts = open_memstream(&plot->text, &plot->text_bytes);
    if (!plot->commands || !plot->texts)
        abort();
    fprintf(plot->commands,
            "set encoding utf8\n"
            "set terminal %s size 1280,%u font 'DejaVu Sans,10' noenhanced\n",
            is_svg(path) ? "svg" : "pngcairo", height);
}

static unsigned count_characters(const char *text) {
    unsigned count = 0;
    for (; *text; text++)
        count += ((unsigned char)*text & 0xc0) != 0x80;
    return count;
}

/* All texts are put together as the one argument that gnuplot is started with, the string ARG1
 * there; the commands name parts of that. */
void plot_text(plot *plot, const char *text) {
    char shown[512];
    snprintf(shown, sizeof shown, "%s", *text ? text : " ");
    plain_line(shown);
    unsigned begin = plot->characters + 1;
    fputs(shown, plot->texts);
    plot->characters += count_characters(shown);
    fprintf(plot->commands, "ARG1[%u:%u]", begin, plot->characters);
}

/* Starts gnuplot: it reads its commands from the stream that is given back, and writes the picture
 * to `picture`, so that no path is told to it. NULL: it cannot be started. */
static FILE *start_gnuplot(FILE *picture, char *texts, pid_t *process) {
    static char name[] = "gnuplot", own[] = "-d", /* nobody's settings are read */
        script[] = "-c", in[] = "/dev/stdin";
    char *const arguments[] = {name, own, script, in, texts, NULL};
    posix_spawn_file_actions_t actions;
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0)
        return NULL;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[0], STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, fileno(picture), STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    int error = posix_spawnp(process, arguments[0], &actions, NULL, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    close(ends[0]);
    if (error == 0)
        return fdopen(ends[1], "w");
    close(ends[1]);
    return NULL;
}

/* Lets gnuplot do what the commands say. */
static bool run_gnuplot(FILE *picture, const char *commands, size_t size, char *texts) {
    pid_t process;
    int status = 1;
    void (*before)(int) = signal(SIGPIPE, SIG_IGN); /* where it ends early its status tells */
    FILE *plot = start_gnuplot(picture, texts, &process);
    if (plot) {
        fwrite(commands, 1, size, plot);
        fclose(plot);
        while (waitpid(process, &status, 0) < 0 && errno == EINTR)
            continue;
    }
    signal(SIGPIPE, before);
    return status == 0;
}

bool plot_end(plot *plot, const char *path) {
    whole_file picture;
    fclose(plot->commands);
    fclose(plot->texts);
    bool good = whole_file_open(&picture, path, CONTENT_BYTES);
    if (good) {
        good = run_gnuplot(picture.file, plot->command_text, plot->command_bytes, plot->text);
        if (good) {
            good = whole_file_close(&picture);
        } else {
            whole_file_abandon(&picture);
            fprintf(stderr,
                    "%s: the picture could not be drawn; it takes the package gnuplot-nox\n", path);
        }
    }
    free(plot->command_text);
    free(plot->text);
    return good;
}
