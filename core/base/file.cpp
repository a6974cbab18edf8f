#include "base/file.h"

#include <fcntl.h>
#include <pwd.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <utility>
#include <vector>

namespace reed {
namespace {

constexpr const char* kMark = ".partial-";

std::string system_reason(int code) {
    return std::string(std::strerror(code));
}

Error cannot_read(const std::filesystem::path& path, int code) {
    if (code == ENOENT) return {"doesn't exist.", path.string(), ""};
    return {"can't be read: " + system_reason(code) + ".", path.string(), "Check its permissions."};
}

/// A descriptor that closes itself.
class Open {
  public:
    explicit Open(int fd) : fd_(fd) {}
    ~Open() {
        if (fd_ >= 0) ::close(fd_);
    }
    Open(const Open&) = delete;
    Open& operator=(const Open&) = delete;
    int get() const { return fd_; }

  private:
    int fd_;
};

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

/// Where a chain of links ends, whether something is there or not; an empty path when it goes round in
/// circles.
std::filesystem::path behind_links(std::filesystem::path path) {
    std::error_code ec;
    for (int n = 0; n < 40; ++n) {
        if (!std::filesystem::is_symlink(std::filesystem::symlink_status(path, ec))) return path;
        const auto to = std::filesystem::read_symlink(path, ec);
        if (ec) return path;
        path = to.is_absolute() ? to : path.parent_path() / to;
    }
    return {};
}

std::string random_name() {
    std::uint64_t bits = 0;
    if (::getrandom(&bits, sizeof bits, 0) != sizeof bits) bits = static_cast<std::uint64_t>(::getpid());
    char out[17];
    std::snprintf(out, sizeof out, "%016llx", static_cast<unsigned long long>(bits));
    return out;
}

std::filesystem::path folder_of(const std::filesystem::path& path) {
    return path.has_parent_path() ? path.parent_path() : std::filesystem::path(".");
}

/// Folders that were made private.
struct PrivateFolders {
    std::mutex mutex;
    std::vector<std::filesystem::path> all;
};
PrivateFolders& private_folders() {
    static PrivateFolders folders;
    return folders;
}

std::filesystem::path normal(const std::filesystem::path& path) {
    std::error_code ec;
    return std::filesystem::weakly_canonical(path, ec);
}

/// It is a private folder, or below one.
bool is_private(const std::filesystem::path& path) {
    const auto wanted = normal(path);
    PrivateFolders& folders = private_folders();
    const std::lock_guard lock(folders.mutex);
    return std::ranges::any_of(folders.all, [&](const auto& folder) {
        return std::ranges::mismatch(folder, wanted).in1 == folder.end();
    });
}

std::filesystem::path user_folder(const char* variable, const char* below_home) {
    const char* set = std::getenv(variable);
    if (set != nullptr && std::filesystem::path(set).is_absolute()) return set;
    std::filesystem::path home;
    if (const char* named = std::getenv("HOME"); named != nullptr) home = named;
    if (!home.is_absolute()) {
        if (const passwd* account = ::getpwuid(::geteuid()); account != nullptr) home = account->pw_dir;
    }
    return home / below_home;
}

constexpr int kPrivateDepth = 4;  // levels: scenes/earlier/NAME/FILE

/// Closes one file or folder of ours to others.
void close_to_others(const std::filesystem::path& path) {
    const Open there(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
    struct stat about {};
    if (there.get() < 0 || ::fstat(there.get(), &about) != 0 || about.st_uid != ::geteuid()) return;
    const bool ours = S_ISREG(about.st_mode) || S_ISDIR(about.st_mode);
    if (ours && (about.st_mode & 0077) != 0) (void)::fchmod(there.get(), about.st_mode & 0700);
}

}  // namespace

Result<std::string> read_file(const std::filesystem::path& path, size_t limit) {
    const Open file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
    if (file.get() < 0) return cannot_read(path, errno);
    struct stat about {};
    if (::fstat(file.get(), &about) != 0) return cannot_read(path, errno);
    if (!S_ISREG(about.st_mode)) return Error{"isn't a regular file.", path.string(), ""};
    const auto too_long = [&](std::uintmax_t size) {
        return Error{"is " + std::to_string(size / 1000) + " kB long; at most " +
                         std::to_string(limit / 1000) + " kB are read.",
                     path.string(), ""};
    };
    const auto size = static_cast<std::uintmax_t>(about.st_size);
    if (size > limit) return too_long(size);
    std::string out(static_cast<size_t>(size) + 1, '\0');
    size_t done = 0;
    for (;;) {
        const ssize_t n = ::read(file.get(), out.data() + done, out.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return cannot_read(path, errno);
        done += static_cast<size_t>(n);
        if (n == 0) break;
        // It grows while it is read.
        if (done > limit) return too_long(done);
        if (done == out.size()) out.resize(out.size() + 65536);
    }
    if (done < size) return Error{"couldn't be read completely.", path.string(), "Check its permissions."};
    out.resize(done);
    return out;
}

Error AtomicFileWriter::cannot_write(int code) const {
    return {"can't be written: " + system_reason(code) + ".", told_.string(),
            "Check the folder's permissions and free space. What was saved before is still there."};
}

Result<AtomicFileWriter> AtomicFileWriter::begin(const std::filesystem::path& target) {
    AtomicFileWriter out;
    out.told_ = target;
    out.target_ = behind_links(target);
    if (out.target_.empty()) return out.cannot_write(ELOOP);
    struct stat about {};
    const bool there = ::stat(out.target_.c_str(), &about) == 0;
    if (!there && errno != ENOENT) return out.cannot_write(errno);
    if (there && !S_ISREG(about.st_mode))
        return Error{"already exists and isn't a file.", target.string(), "Choose another name."};
    if (there && ::access(out.target_.c_str(), W_OK) != 0) return out.cannot_write(errno);
    const std::string stem = out.target_.stem().string().substr(0, 100);
    for (int tries = 0; tries < 100 && out.fd_ < 0; ++tries) {
        out.partial_ = folder_of(out.target_) /
                       ("." + stem + kMark + random_name() + out.target_.extension().string().substr(0, 20));
        out.fd_ = ::open(out.partial_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC,
                         new_file_mode(out.target_));
        if (out.fd_ < 0 && errno != EEXIST) break;
    }
    if (out.fd_ < 0) return out.cannot_write(errno);
    if (there) (void)::fchmod(out.fd_, about.st_mode & (is_private(out.target_) ? 0700 : 0755));
    return out;
}

AtomicFileWriter::AtomicFileWriter(AtomicFileWriter&& other) noexcept
    : told_(std::move(other.told_)),
      target_(std::move(other.target_)),
      partial_(std::move(other.partial_)),
      fd_(std::exchange(other.fd_, -1)) {
    other.partial_.clear();
}

AtomicFileWriter::~AtomicFileWriter() {
    if (fd_ >= 0) ::close(fd_);
    if (!partial_.empty()) ::unlink(partial_.c_str());
}

Result<void> AtomicFileWriter::write(const std::string& bytes) {
    if (!write_all(fd_, bytes)) return cannot_write(errno);
    return {};
}

Result<void> AtomicFileWriter::commit() {
    const bool flushed = ::fsync(fd_) == 0;
    const int why = errno;
    const bool closed = ::close(std::exchange(fd_, -1)) == 0;
    if (!flushed || !closed) return cannot_write(flushed ? errno : why);
    if (::rename(partial_.c_str(), target_.c_str()) != 0) return cannot_write(errno);
    partial_.clear();
    // So that the new name is there after a power cut too. Folders of some file systems can't be flushed: no
    // harm.
    const Open folder(::open(folder_of(target_).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (folder.get() >= 0) (void)::fsync(folder.get());
    return {};
}

Result<void> write_file(const std::filesystem::path& path, const std::string& bytes) {
    std::error_code ec;
    if (path.has_parent_path()) ec = create_folders(path.parent_path());
    if (ec) {
        return Error{"can't be written: " + ec.message() + ".", path.string(),
                     "Check the folder's permissions and free space."};
    }
    auto begun = AtomicFileWriter::begin(path);
    if (!begun.ok()) return begun.error();
    if (auto written = begun.value().write(bytes); !written.ok()) return written;
    return begun.value().commit();
}

std::filesystem::path user_data_folder() {
    return user_folder("XDG_DATA_HOME", ".local/share");
}

std::filesystem::path user_state_folder() {
    return user_folder("XDG_STATE_HOME", ".local/state");
}

unsigned new_file_mode(const std::filesystem::path& file) {
    return is_private(file) ? 0600 : 0644;
}

std::error_code create_folders(const std::filesystem::path& folder) {
    std::error_code ec;
    if (folder.empty() || std::filesystem::is_directory(folder, ec)) return {};
    const auto parent = folder.has_filename() ? folder.parent_path() : folder.parent_path().parent_path();
    if (parent != folder) {
        if (const auto failed = create_folders(parent)) return failed;
    }
    if (::mkdir(folder.c_str(), is_private(folder) ? 0700 : 0777) == 0) return {};
    const int why = errno;
    if (why == EEXIST && std::filesystem::is_directory(folder, ec)) return {};
    return {why, std::generic_category()};
}

std::error_code make_private(const std::filesystem::path& folder) {
    {
        PrivateFolders& folders = private_folders();
        const std::lock_guard lock(folders.mutex);
        if (std::ranges::find(folders.all, normal(folder)) == folders.all.end())
            folders.all.push_back(normal(folder));
    }
    if (const auto failed = create_folders(folder)) return failed;
    close_to_others(folder);
    std::error_code ec;
    using Walk = std::filesystem::recursive_directory_iterator;
    auto entry = Walk(folder, std::filesystem::directory_options::skip_permission_denied, ec);
    for (const auto end = Walk(); !ec && entry != end; entry.increment(ec)) {
        if (entry.depth() + 1 >= kPrivateDepth) entry.disable_recursion_pending();
        close_to_others(entry->path());
    }
    return {};
}

std::filesystem::path unique_path(const std::filesystem::path& wanted,
                                  std::span<const std::string_view> kinds) {
    const auto taken = [](const std::filesystem::path& path) {
        std::error_code ec;
        const auto type = std::filesystem::symlink_status(path, ec).type();
        return type != std::filesystem::file_type::not_found && type != std::filesystem::file_type::none;
    };
    const auto name_taken = [&](std::filesystem::path path) {
        return taken(path) ||
               std::ranges::any_of(kinds, [&](auto kind) { return taken(path.replace_extension(kind)); });
    };
    const std::string stem = wanted.stem().string(), extension = wanted.extension().string();
    std::filesystem::path path = wanted;
    for (int n = 2; n < 10000 && name_taken(path); ++n) {
        std::string name = stem;
        name.append("-").append(std::to_string(n)).append(extension);
        path = wanted.parent_path() / name;
    }
    return path;
}

/// Folders within folders of ours, and no more.
constexpr int kDeepest = 2;

void remove_stale_temporaries(const std::filesystem::path& folder, std::chrono::seconds age) {
    std::error_code ec;
    using Walk = std::filesystem::recursive_directory_iterator;
    auto entry = Walk(folder, std::filesystem::directory_options::skip_permission_denied, ec);
    for (const auto end = Walk(); !ec && entry != end; entry.increment(ec)) {
        if (entry.depth() >= kDeepest) entry.disable_recursion_pending();
        const std::string name = entry->path().filename().string();
        const auto mark = name.find(kMark);
        if (name.empty() || name.front() != '.' || mark == std::string::npos) continue;
        std::error_code ignored;
        if (!std::filesystem::is_regular_file(entry->symlink_status(ignored))) continue;
        const auto written = entry->last_write_time(ignored);
        if (!ignored && std::filesystem::file_time_type::clock::now() - written > age)
            std::filesystem::remove(entry->path(), ignored);
    }
}

}  // namespace reed
