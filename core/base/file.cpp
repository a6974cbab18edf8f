#include "base/file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>

namespace reed {
namespace {

std::string system_reason(int code) {
    return std::string(std::strerror(code));
}

Error cannot_write(const std::filesystem::path& path, int code) {
    return {"it can't be written (" + system_reason(code) + ").", path.string(),
            "Check the folder's permissions and free space. What was saved before is still there."};
}

bool write_all(int fd, const std::string& bytes) {
    size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::write(fd, bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        done += static_cast<size_t>(n);
    }
    return true;
}

}  // namespace

Result<std::string> read_file(const std::filesystem::path& path, size_t limit) {
    std::error_code ec;
    const auto status = std::filesystem::status(path, ec);
    if (!std::filesystem::exists(status)) return Error{"there is no such file.", path.string(), ""};
    if (!std::filesystem::is_regular_file(status)) return Error{"it is not a file.", path.string(), ""};
    const auto size = std::filesystem::file_size(path, ec);
    if (ec) return Error{"it can't be read (" + ec.message() + ").", path.string(), ""};
    if (size > limit) {
        return Error{"it is " + std::to_string(size / 1000) + " kB long; at most " +
                         std::to_string(limit / 1000) + " kB are read.",
                     path.string(), ""};
    }
    std::ifstream in(path, std::ios::binary);
    std::string out((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
    if (!in.good() && !in.eof()) return Error{"it can't be read.", path.string(), "Check its permissions."};
    if (out.size() != size)
        return Error{"it can't be read to its end.", path.string(), "Check its permissions."};
    return out;
}

std::filesystem::path partial_path(const std::filesystem::path& path) {
    return path.parent_path() / ("." + path.stem().string() + ".partial-" + std::to_string(::getpid()) +
                                 path.extension().string());
}

Result<void> write_file(const std::filesystem::path& path, const std::string& bytes) {
    std::error_code ec;
    if (path.has_parent_path()) std::filesystem::create_directories(path.parent_path(), ec);
    if (ec) return cannot_write(path, ec.value());
    const auto partial = partial_path(path);
    const int fd = ::open(partial.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (fd < 0) return cannot_write(path, errno);
    const bool written = write_all(fd, bytes) && ::fsync(fd) == 0;
    const int code = errno;
    ::close(fd);
    if (!written) {
        std::filesystem::remove(partial, ec);
        return cannot_write(path, code);
    }
    std::filesystem::rename(partial, path, ec);
    if (ec) {
        const int reason = ec.value();
        std::filesystem::remove(partial, ec);
        return cannot_write(path, reason);
    }
    return {};
}

}  // namespace reed
