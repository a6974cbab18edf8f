#include "scenes/scene_archive.h"

#include <set>

#include "base/file.h"
#include "base/zip_archive.h"
#include "scenes/library.h"

namespace reed {
namespace {

constexpr size_t kMostPacked = 50'000'000;  // bytes of the file itself

/// A zip in memory; the source belongs to it.
ZipArchive open(zip_source_t* source, int flags, zip_error_t& error) {
    return ZipArchive(zip_open_from_source(source, flags, &error));
}

}  // namespace

Result<void> write_scene_archive(const std::filesystem::path& path, const std::vector<Scene>& scenes) {
    zip_error_t error;
    zip_error_init(&error);
    ZipSource bytes(zip_source_buffer_create(nullptr, 0, 0, &error));
    if (!bytes) return zip_refused(error, path, "can't be packed");
    zip_source_keep(bytes.get());
    ZipArchive zip = open(bytes.get(), ZIP_TRUNCATE, error);
    if (!zip) {
        zip_source_free(bytes.get());
        return zip_refused(error, path, "can't be packed");
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
    ZipSource bytes(zip_source_buffer_create(packed.value().data(), packed.value().size(), 0, &error));
    if (!bytes) return zip_refused(error, path, "can't be read");
    ZipArchive zip = open(bytes.get(), ZIP_RDONLY, error);
    if (!zip) return zip_refused(error, path, "isn't a valid zip file");
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
