#include "scenes/mute_marker.h"

#include <fcntl.h>
#include <unistd.h>

#include <system_error>

namespace reed {

bool MuteMarker::muted() const {
    std::error_code ec;
    return std::filesystem::exists(std::filesystem::symlink_status(path(true), ec));
}

bool MuteMarker::create(bool muted) const {
    if (set(muted)) return true;
    const int fd = ::open(path(muted).c_str(), O_WRONLY | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
    return fd >= 0 && ::close(fd) == 0;
}

bool MuteMarker::set(bool muted) const {
    std::error_code ec;
    std::filesystem::rename(path(!muted), path(muted), ec);
    return !ec || std::filesystem::exists(std::filesystem::symlink_status(path(muted), ec));
}

}  // namespace reed
