#include "base/zip_archive.h"

namespace reed {

Error zip_refused(zip_error_t& error, const std::filesystem::path& path, const char* what) {
    Error out{std::string(what) + ": " + zip_error_strerror(&error) + ".", path.string(), ""};
    zip_error_fini(&error);
    return out;
}

Result<void> unpack(zip_t* zip, zip_uint64_t index, std::uint64_t most,
                    const std::function<bool(std::string_view)>& take) {
    const std::unique_ptr<zip_file_t, ZipClosing> file(zip_fopen_index(zip, index, 0));
    if (!file) return Error{"can't be unpacked: " + std::string(zip_strerror(zip)) + ".", "", ""};
    char piece[16384];
    std::uint64_t all = 0;
    for (zip_int64_t n = 0; (n = zip_fread(file.get(), piece, sizeof piece)) != 0;) {
        if (n < 0) return Error{"is damaged: " + std::string(zip_file_strerror(file.get())) + ".", "", ""};
        all += static_cast<std::uint64_t>(n);
        if (all > most)
            return Error{"unpacks to more than " + std::to_string(most / 1'000'000) + " MB.", "", ""};
        if (!take({piece, static_cast<size_t>(n)})) break;
    }
    return {};
}

Result<std::string> unpack(zip_t* zip, zip_uint64_t index, size_t most) {
    std::string out;
    const auto done = unpack(zip, index, most, [&](std::string_view piece) {
        out += piece;
        return true;
    });
    if (!done.ok()) return done.error();
    return out;
}

}  // namespace reed
