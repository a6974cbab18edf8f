#include "devices/file_device.h"
#include "chain/chain.h"

namespace reed {

Result<std::unique_ptr<FileDevice>> FileDevice::create(const std::filesystem::path& path) {
    SoundInfo info;
    auto sound = read_sound(path, &info, std::int64_t{600} * 192000);
    if (!sound.ok()) return sound.error();
    auto fits = Chain::build({}, {info.sample_rate, info.channels});
    if (!fits.ok()) {
        Error e = fits.error();
        e.where = path.string();
        return e;
    }
    std::unique_ptr<FileDevice> out(new FileDevice);
    out->format_ = {info.sample_rate, info.channels};
    out->sound_ = std::move(sound.value());
    return out;
}

Result<void> FileDevice::start(AudioCallback& callback) {
    const auto fill = [this](const AudioBlock& block) {
        for (int i = 0; i < block.frames; ++i) {
            for (int c = 0; c < block.channels; ++c) block[c][i] = sound_[c][position_];
            if (++position_ == sound_.frames()) position_ = 0;
        }
    };
    thread_.start(format_, 256, fill, callback);
    return {};
}

}  // namespace reed
