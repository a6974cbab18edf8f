#include "recordings.h"

#include <filesystem>

#include "base/file.h"

namespace reed::cli {
namespace {
constexpr auto kMostFrames = static_cast<std::int64_t>(60 * kMaxSampleRate);
}

TakeStore take_store(const std::string& folder) {
    if (!folder.empty()) return TakeStore(folder);
    (void)make_private(user_data_folder() / "dusky-reed");
    return TakeStore(user_data_folder() / "dusky-reed/takes");
}

Result<Take> recording_named(const std::string& word, const std::string& folder) {
    std::error_code ec;
    if (!std::filesystem::exists(word, ec)) {
        auto take = take_store(folder).find(word);
        if (take.ok() || word.find_first_of("/.") == std::string::npos) return take;
        return Error{"is neither a file nor the name of a take.", word,
                     "Check the path, or list the takes with “take list”."};
    }
    Take out = read_take(word);
    if (!out.problem.empty()) return Error{out.problem, word, ""};
    return out;
}

Result<AudioBuffer> read_recording(const std::string& path, SoundInfo& info) {
    const Take take = read_take(path);
    if (!take.problem.empty())
        return Error{take.problem, path, "Use an audio file with 1 or 2 channels and 44.1 to 192 kHz."};
    return read_sound(path, &info, kMostFrames);
}

}  // namespace reed::cli
