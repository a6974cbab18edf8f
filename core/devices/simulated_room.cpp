#include "devices/simulated_room.h"

#include <cmath>

#include "base/decibel.h"
#include "base/sound_file.h"

namespace reed {
namespace {

constexpr Choice kEfforts[] = {{"silent", "Silent"}, {"whisper", "Whisper"}, {"quiet", "Quiet"},
                               {"talk", "Talk"},     {"loud", "Loud"},       {"shout", "Shout"}};

constexpr Parameter kTable[] = {
    parameter::choice("effort", "Voice", kEfforts, 3, "How loudly the simulated voice speaks"),
    parameter::number("dehumidifier", "Dehumidifier", Unit::percent, 0.0, 100.0, 60.0, Scale::linear,
                      "A fan and a hum that never stop."),
    parameter::number("lathe", "Lathe", Unit::percent, 0.0, 100.0, 0.0, Scale::linear,
                      "A small motor with a whine."),
    parameter::number("rain", "Rain", Unit::percent, 0.0, 100.0, 0.0, Scale::linear, "Rain on a tin roof."),
    parameter::number("tools", "Bench tools", Unit::percent, 0.0, 100.0, 0.0, Scale::linear,
                      "Knife, gouge and knocks on the bench."),
};

constexpr const char* kFiles[] = {"voice_whisper.flac", "voice_talk.flac", "voice_shout.flac",
                                  "dehumidifier.flac",  "lathe.flac",      "rain.flac",
                                  "tools.flac"};
enum Sound { kWhisper, kTalk, kShout, kFirstNoise };

}  // namespace

std::span<const Parameter> room_controls() {
    return kTable;
}

Result<std::unique_ptr<SimulatedRoom>> SimulatedRoom::create(const std::filesystem::path& demo_data) {
    std::unique_ptr<SimulatedRoom> room(new SimulatedRoom);
    for (int c = 0; c < kRoomControls; ++c) {
        room->controls_[static_cast<size_t>(c)] = kTable[c].default_value;
    }
    for (size_t s = 0; s < kSounds; ++s) {
        const auto path = demo_data / "sounds" / kFiles[s];
        SoundInfo info;
        auto sound = read_sound(path, &info, 48000 * 600);
        if (!sound.ok()) {
            Error e = sound.error();
            e.remedy = "Reinstall Dusky Reed with its demo data.";
            return e;
        }
        if (info.channels != 1 || info.sample_rate != 48000.0) {
            return Error{"must be mono at 48000 Hz for the simulated room.", path.string(), ""};
        }
        room->sounds_[s] = std::move(sound.value()[0]);
        room->gains_[s].prepare(48000.0, 0.020, room->wanted_gain(static_cast<int>(s)));
    }
    return room;
}

double SimulatedRoom::wanted_gain(int sound) const {
    if (sound >= kFirstNoise) {
        const double percent = get(static_cast<RoomControl>(kRoomDehumidifier + sound - kFirstNoise));
        return percent <= 0.0 ? 0.0 : db_to_gain(10.0 * std::log2(percent / 100.0));
    }
    // Per effort: gain of the whispered, the spoken and the shouted recording.
    static constexpr double kGains[6][3] = {{0, 0, 0},   {1, 0, 0},   {0, 0.35, 0},
                                            {0, 1.0, 0}, {0, 1.8, 0}, {0, 0, 1.25}};
    return kGains[static_cast<size_t>(get(kRoomEffort))][sound];
}

void SimulatedRoom::set(RoomControl control, double value) {
    controls_[static_cast<size_t>(control)].store(value, std::memory_order_relaxed);
}

double SimulatedRoom::get(RoomControl control) const {
    return controls_[static_cast<size_t>(control)].load(std::memory_order_relaxed);
}

void SimulatedRoom::fill(const AudioBlock& block) {
    for (int i = 0; i < block.frames; ++i) {
        if (in_grain_ == 0) {
            for (size_t s = 0; s < kSounds; ++s) {
                gains_[s].set(wanted_gain(static_cast<int>(s)));
                gains_[s].begin_sub_block();
            }
        }
        in_grain_ = (in_grain_ + 1) % kSubBlock;
        float sum = 0.0f;
        for (size_t s = 0; s < kSounds; ++s) {
            sum += gains_[s].next() * sounds_[s][positions_[s]];
            if (++positions_[s] == sounds_[s].size()) positions_[s] = 0;
        }
        // A microphone's converter has an end, too.
        block[0][i] = std::min(std::max(sum, -1.0f), 1.0f);
    }
}

Result<void> SimulatedRoom::start(AudioCallback& callback, FeedSink* feed) {
    thread_.start(
        format(), 256, [this](const AudioBlock& b) { fill(b); }, callback, feed);
    return {};
}

DeviceStatus SimulatedRoom::status() const {
    return {thread_.running(), thread_.dropouts(), ""};
}

}  // namespace reed
