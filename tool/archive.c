#include "tool/archive.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <zip.h>

#include "compiler/reading/file_read.h"
#include "tool/tool.h"

#define ARCHIVE_BYTES ((size_t)64 << 20)

void archive_add(archive *archive, const char *name, const void *bytes, size_t size) {
    archive_file *files = realloc(archive->files, (archive->count + 1) * sizeof *files);
    if (!files)
        abort();
    archive->files = files;
    archive_file *file = &files[archive->count++];
    snprintf(file->name, sizeof file->name, "%s", name);
    file->bytes = malloc(size + 1);
    if (!file->bytes)
        abort();
    if (size > 0)
        memcpy(file->bytes, bytes, size);
    file->bytes[size] = 0;
    file->size = size;
}

const archive_file *archive_find(const archive *archive, const char *name) {
    for (size_t i = 0; i < archive->count; i++)
        if (strcmp(archive->files[i].name, name) == 0)
            return &archive->files[i];
    return NULL;
}

void archive_free(archive *archive) {
    for (size_t i = 0; i < archive->count; i++)
        free(archive->files[i].bytes);
    free(archive->files);
    *archive = (struct archive){NULL, 0};
}

/* ---- writing ---- */

static bool put(zip_t *zip, const archive_file *file) {
    zip_source_t *source = zip_source_buffer(zip, file->bytes, file->size, 0);
    zip_int64_t index = source ? zip_file_add(zip, file->name, source, ZIP_FL_ENC_UTF_8) : -1;
    if (source && index < 0)
        zip_source_free(source);
    /* The same content is the same archive, whenever it was made. */
    return index >= 0 && zip_file_set_dostime(zip, (zip_uint64_t)index, 0, 0x21, 0) == 0;
}

/* All of it in memory; NULL: it could not be made. */
static zip_source_t *pack(const archive *archive, zip_error_t *error) {
    zip_source_t *whole = zip_source_buffer_create(NULL, 0, 0, error);
    zip_t *zip = whole ? zip_open_from_source(whole, ZIP_TRUNCATE, error) : NULL;
    bool good = zip != NULL;
    if (good)
        zip_source_keep(whole);
    for (size_t i = 0; i < archive->count && good; i++)
        good = put(zip, &archive->files[i]);
    if (zip && (!good || zip_close(zip) != 0)) {
        zip_discard(zip);
        good = false;
    }
    if (!good && whole)
        zip_source_free(whole);
    return good ? whole : NULL;
}

static bool write_source(zip_source_t *source, FILE *file) {
    char bytes[4096];
    zip_int64_t size;
    if (zip_source_open(source) != 0)
        return false;
    while ((size = zip_source_read(source, bytes, sizeof bytes)) > 0)
        fwrite(bytes, 1, (size_t)size, file);
    zip_source_close(source);
    return size == 0;
}

bool archive_write(const archive *archive, const char *path, bool replaces) {
    zip_error_t error;
    whole_file out;
    zip_error_init(&error);
    if (!replaces && access(path, F_OK) == 0)
        return refuse(path, "is there already; --force replaces it");
    zip_source_t *source = pack(archive, &error);
    zip_error_fini(&error);
    if (!source)
        return refuse(path, "it could not be packed");
    bool good = whole_file_open(&out, path, CONTENT_BYTES);
    if (good && !write_source(source, out.file)) {
        whole_file_abandon(&out);
        good = refuse(path, "it could not be packed");
    } else if (good) {
        good = whole_file_close(&out);
    }
    zip_source_free(source);
    return good;
}

/* ---- reading ---- */

static bool take(archive *archive, zip_t *zip, zip_uint64_t index, size_t *all, const char **why) {
    zip_stat_t about;
    *why = "a file in it is broken";
    if (zip_stat_index(zip, index, 0, &about) != 0 || !(about.valid & ZIP_STAT_NAME) ||
        !(about.valid & ZIP_STAT_SIZE))
        return false;
    size_t length = strlen(about.name);
    if (length > 0 && about.name[length - 1] == '/')
        return true; /* a folder */
    if (length == 0 || length >= ARCHIVE_NAME || about.size > ARCHIVE_FILE_BYTES ||
        about.size > ARCHIVE_BYTES - *all) {
        *why = "a file in it is too long, or its name is";
        return false;
    }
    if (archive_find(archive, about.name)) {
        *why = "two files in it have one name";
        return false;
    }
    uint8_t *bytes = malloc((size_t)about.size + 1);
    zip_file_t *file = zip_fopen_index(zip, index, 0);
    zip_int64_t size = bytes && file ? zip_fread(file, bytes, about.size) : -1;
    bool good = size == (zip_int64_t)about.size;
    if (good)
        archive_add(archive, about.name, bytes, (size_t)size);
    *all += (size_t)about.size;
    if (file && zip_fclose(file) != 0)
        good = false; /* its checksum does not match */
    free(bytes);
    return good;
}

bool archive_parse(archive *archive, const void *bytes, size_t size, const char **why) {
    zip_error_t error;
    size_t all = 0;
    *archive = (struct archive){NULL, 0};
    *why = "this is no zip archive, or it is broken";
    zip_error_init(&error);
    zip_source_t *source = zip_source_buffer_create(bytes, size, 0, &error);
    zip_t *zip = source ? zip_open_from_source(source, ZIP_RDONLY | ZIP_CHECKCONS, &error) : NULL;
    zip_error_fini(&error);
    if (!zip) {
        if (source)
            zip_source_free(source);
        return false;
    }
    zip_int64_t count = zip_get_num_entries(zip, 0);
    bool good = count >= 0 && count <= ARCHIVE_FILES;
    if (!good)
        *why = "there are too many files in it";
    for (zip_int64_t i = 0; i < count && good; i++)
        good = take(archive, zip, (zip_uint64_t)i, &all, why);
    zip_discard(zip);
    if (!good)
        archive_free(archive);
    return good;
}

bool archive_read(archive *archive, const char *path) {
    const char *why;
    size_t size;
    char *bytes = file_read(path, ARCHIVE_BYTES, &size, &why);
    if (!bytes)
        return refuse(path, why);
    bool good = size <= ARCHIVE_BYTES && archive_parse(archive, bytes, size, &why);
    free(bytes);
    return good || refuse(path, size > ARCHIVE_BYTES ? "it has more than 64 MiB" : why);
}
