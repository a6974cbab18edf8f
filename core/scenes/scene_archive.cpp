#include "scenes/scene_archive.h"

#include <zip.h>

#include <memory>
#include <set>

#include "base/file.h"
#include "scenes/library.h"

namespace reed {
namespace {

constexpr size_t kMostPacked = 50'000'000;  // bytes of the file itself

struct Closing {
    void operator()(zip_t* zip) const { zip_discard(zip); }
    void operator()(zip_file_t* file) const { zip_fclose(file); }
    void operator()(zip_source_t* source) const { zip_source_free(source); }
};
using Zip = std::unique_ptr<zip_t, Closing>;
using Source = std::unique_ptr<zip_source_t, Closing>;

Error refused(zip_error_t& error, const std::filesystem::path& path, const char* what) {
    Error out{std::string(what) + ": " + zip_error_strerror(&error) + ".", path.string(), ""};
    zip_error_fini(&error);
    return out;
}

/// A zip in memory; the source belongs to it.
Zip open(zip_source_t* source, int flags, zip_error_t& error) {
    return Zip(zip_open_from_source(source, flags, &error));
}

/// At most `most` bytes of entry `i`.
Result<std::string> unpack(zip_t* zip, zip_uint64_t i, size_t most) {
    std::unique_ptr<zip_file_t, Closing> file(zip_fopen_index(zip, i, 0));
    if (!file) return Error{"can't be unpacked: " + std::string(zip_strerror(zip)) + ".", "", ""};
    std::string out;
    char piece[16384];
    for (zip_int64_t n = 0; (n = zip_fread(file.get(), piece, sizeof piece)) != 0;) {
        if (n < 0) return Error{"is damaged: " + std::string(zip_file_strerror(file.get())) + ".", "", ""};
        out.append(piece, static_cast<size_t>(n));
        // What the archive says of its size may be wrong.
        if (out.size() > most) return Error{"unpacks to more than 1 MB; no scene does.", "", ""};
    }
    return out;
}

}  // namespace

Result<void> write_scene_archive(const std::filesystem::path& path, const std::vector<Scene>& scenes) {
    zip_error_t error;
    zip_error_init(&error);
    Source bytes(zip_source_buffer_create(nullptr, 0, 0, &error));
    if (!bytes) return refused(error, path, "can't be packed");
    zip_source_keep(bytes.get());
    Zip zip = open(bytes.get(), ZIP_TRUNCATE, error);
    if (!zip) {
        zip_source_free(bytes.get());
        return refused(error, path, "can't be packed");
    }
    std::vector<std::string> texts;  // the archive points to them until it is closed
    texts.reserve(scenes.size());
    std::set<std::string> names;
    for (const Scene& scene : scenes) {
        texts.push_back(write_scene(scene));
        const std::string stem = scene_file_stem(scene.name).substr(0, 80);
        std::string name = stem + ".json";
        for (int n = 2; !names.insert(name).second; ++n) name = stem + "-" + std::to_string(n) + ".json";
        zip_source_t* text = zip_source_buffer(zip.get(), texts.back().data(), texts.back().size(), 0);
        if (text == nullptr || zip_file_add(zip.get(), name.c_str(), text, ZIP_FL_ENC_UTF_8) < 0) {
            const Error e{"can't be packed: " + std::string(zip_strerror(zip.get())) + ".", path.string(),
                          ""};
            zip_source_free(text);
            return e;
        }
    }
    if (zip_close(zip.get()) != 0)
        return Error{"can't be packed: " + std::string(zip_strerror(zip.get())) + ".", path.string(), ""};
    (void)zip.release();
    std::string packed;
    if (zip_source_open(bytes.get()) != 0)
        return Error{"would be empty.", path.string(), "Choose at least one scene."};
    char piece[16384];
    for (zip_int64_t n = 0; (n = zip_source_read(bytes.get(), piece, sizeof piece)) > 0;)
        packed.append(piece, static_cast<size_t>(n));
    zip_source_close(bytes.get());
    return write_file(path, packed);
}

Result<ArchiveReading> read_scene_archive(const std::filesystem::path& path) {
    const auto packed = read_file(path, kMostPacked);
    if (!packed.ok()) return packed.error();
    zip_error_t error;
    zip_error_init(&error);
    Source bytes(zip_source_buffer_create(packed.value().data(), packed.value().size(), 0, &error));
    if (!bytes) return refused(error, path, "can't be read");
    Zip zip = open(bytes.get(), ZIP_RDONLY, error);
    if (!zip) return refused(error, path, "isn't a valid zip file");
    (void)bytes.release();
    const zip_int64_t count = zip_get_num_entries(zip.get(), 0);
    if (count > kMaxArchivedFiles)
        return Error{"holds " + std::to_string(count) + " files; at most " +
                         std::to_string(kMaxArchivedFiles) + " are read.",
                     path.string(), "Remove the files that are not scenes."};
    ArchiveReading out;
    size_t all = 0;
    for (zip_int64_t i = 0; i < count; ++i) {
        const auto index = static_cast<zip_uint64_t>(i);
        const char* found = zip_get_name(zip.get(), index, 0);
        const std::string name = found != nullptr ? found : "";
        if (name.empty() || name.back() == '/') continue;  // a folder
        auto text = unpack(zip.get(), index, kMaxSceneBytes);
        if (!text.ok()) {
            out.problems.push_back({text.error().what, name, ""});
        }
        all += text.ok() ? text.value().size() : kMaxSceneBytes;
        if (all > kMostArchivedBytes)
            return Error{"unpacks to more than 100 MB.", path.string(), "No collection of scenes does."};
        if (!text.ok()) continue;
        SceneReading reading = read_scene(text.value());
        if (reading.scene) {
            out.scenes.push_back(std::move(*reading.scene));
            continue;
        }
        Error e = reading.problems.front();
        e.where = name + (e.where.empty() ? "" : ", " + e.where);
        out.problems.push_back(std::move(e));
    }
    return out;
}

}  // namespace reed
