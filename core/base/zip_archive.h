// Zip files by libzip, with owners that close them.
#pragma once

#include <zip.h>

#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <string_view>

#include "base/result.h"

namespace reed {

struct ZipClosing {
    void operator()(zip_t* zip) const { zip_discard(zip); }
    void operator()(zip_file_t* file) const { zip_fclose(file); }
    void operator()(zip_source_t* source) const { zip_source_free(source); }
};
using ZipArchive = std::unique_ptr<zip_t, ZipClosing>;
using ZipSource = std::unique_ptr<zip_source_t, ZipClosing>;

/// "FILE WHAT: reason of the library."; releases `error`.
Error zip_refused(zip_error_t& error, const std::filesystem::path& path, const char* what);

/// Gives the entry `index` to `take`, piece by piece, and stops when it returns false. What the archive says
/// of an entry's size may be wrong: returns an error for more than `most` bytes, and for a damaged entry.
Result<void> unpack(zip_t* zip, zip_uint64_t index, std::uint64_t most,
                    const std::function<bool(std::string_view)>& take);
/// The same as one text.
Result<std::string> unpack(zip_t* zip, zip_uint64_t index, size_t most);

}  // namespace reed
