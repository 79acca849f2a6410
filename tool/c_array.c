/* A program as C source, with the header that declares it. */
#include <string.h>

#include "tool/tool.h"

void print_c_array(FILE *file, const char *name, const char *header, const uint8_t *bytes,
                   size_t size) {
    fputs("/* A program of Yonder Thumb, made by `yonder compile --c-array`. Do not edit. */\n",
          file);
    if (header)
        fprintf(file, "#include \"%s\"\n\n", header);
    fprintf(file,
            "#ifdef __cplusplus\n#define _Alignas alignas\n#endif\n"
            "_Alignas(4) const unsigned char %s[%zu] = {",
            name, size);
    for (size_t i = 0; i < size; i++)
        fprintf(file, "%s0x%02x,", i % 16 ? " " : "\n    ", bytes[i]);
    fprintf(file, "\n};\nconst unsigned long %s_size = sizeof %s;\n", name, name);
}

void print_c_header(FILE *file, const char *name, size_t size) {
    fprintf(file,
            "/* A program of Yonder Thumb, made by `yonder compile --c-array`. Do not edit. */\n"
            "#ifndef %s_H\n#define %s_H\n\n"
            "#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n"
            "extern const unsigned char %s[%zu];\nextern const unsigned long %s_size;\n\n"
            "#ifdef __cplusplus\n}\n#endif\n\n#endif\n",
            name, name, name, size, name);
}

bool write_c_array(const char *path, const char *name, const uint8_t *bytes, size_t size) {
    whole_file source, header;
    char header_path[4096];
    size_t length = strlen(path);
    bool has_header = strcmp(path, "-") != 0;
    if (has_header &&
        (length < 3 || length >= sizeof header_path || strcmp(path + length - 2, ".c") != 0))
        return refuse(path, "C source is written to a file whose name ends in .c, as its header is "
                            "named after it");
    if (!whole_file_open(&source, path, CONTENT_TEXT))
        return false;
    if (!has_header) {
        print_c_array(source.file, name, NULL, bytes, size);
        return whole_file_close(&source);
    }
    memcpy(header_path, path, length + 1);
    header_path[length - 1] = 'h';
    if (!whole_file_open(&header, header_path, CONTENT_TEXT)) {
        whole_file_abandon(&source);
        return false;
    }
    const char *last = strrchr(header_path, '/');
    print_c_array(source.file, name, last ? last + 1 : header_path, bytes, size);
    print_c_header(header.file, name, size);
    if (whole_file_close(&header))
        return whole_file_close(&source);
    whole_file_abandon(&source);
    return false;
}
