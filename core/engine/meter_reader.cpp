#include "engine/meter_reader.h"

#include <cmath>

#include "base/decibel.h"

namespace reed {

namespace {
/// A chain that starts cold still learns the background noise: its first three seconds say nothing about it,
/// and would make a gate look wrong that is right a moment later.
constexpr std::int64_t kColdPieces = 300;
constexpr int kPiece = 4096;
}  // namespace

MeterReader::MeterReader(Engine& engine) : engine_(engine) {}

void MeterReader::restart() {
    statistics_.clear();
    lasting_.clear();
    levels_ = lasting_levels_ = statistics_.report();
    pushed_ = summed_up_ = lasting_at_ = 0;
    if (meter_) meter_->restart();
    loudness_ = {};
    clips_.clear();
}

void MeterReader::poll(bool sum_up) {
    poll_clips();
    hear_voice();
    poll_taps(sum_up);
    poll_feed();
}

void MeterReader::poll_clips() {
    const Clips now{engine_.input_history()->written(), engine_.figures().clipped};
    // Another input counts from nothing again.
    if (!clips_.empty() && (now.at < clips_.back().at || now.count < clips_.back().count)) clips_.clear();
    if (clips_.empty() || now.count != clips_.back().count)
        clips_.push_back(now);
    else
        clips_.back().at = now.at;
    // The newest entry before the window is what the count in it starts from.
    const auto window = static_cast<std::int64_t>(statistics_.window() * engine_.format().sample_rate);
    while (clips_.size() > 1 && clips_.front().at < now.at - window) clips_.pop_front();
}

std::uint64_t MeterReader::clipped() const {
    return clips_.empty() ? 0 : clips_.back().count - clips_.front().count;
}

void MeterReader::hear_voice() {
    if (stage_knows_ || no_voice_) {
        detector_.reset();
        return;
    }
    const double rate = engine_.format().sample_rate;
    const bool another = detected_.follow(engine_.input_history());
    if (another || !detector_) {
        detector_ = std::make_unique<VoiceDetector>(rate);
        detected_.skip_to_newest(static_cast<std::int64_t>(0.5 * rate));  // no more: it takes time
        detector_from_ = detected_.at();
    }
    std::span<const float> piece;
    auto got = RingReader::Got::sound;
    while ((got = detected_.next_mono(kPiece, piece)) == RingReader::Got::sound)
        detector_->add(piece.data(), static_cast<int>(piece.size()));
    if (got == RingReader::Got::overtaken) detector_.reset();  // held up for longer than the history lasts
}

void MeterReader::take(TapFrame frame) {
    if (frame.tap == 0) {
        const auto length =
            static_cast<std::int64_t>(std::lround(kTapFrameSeconds * engine_.format().sample_rate));
        if (detector_) frame.voice = detector_->at(origin_ + frame.index * length - detector_from_);
    } else if (frame.voice >= 0.0f) {
        stage_knows_ = true;
    }
    if (frame.index < skip_below_) return;
    statistics_.push(frame);
    lasting_.push(frame);
    if (frame.tap == 0) ++pushed_;
}

void MeterReader::poll_taps(bool sum_up) {
    ChainRunner& chain = engine_.chain();
    // A chain reports while it is still fading in; those pieces are kept until it is the one that sounds.
    for (TapFrame f; chain.take_tap(f);) {
        if (f.chain == chain_)
            take(f);
        else if (f.chain > chain_)
            early_.push_back(f);
    }
    if (const std::uint32_t serial = chain.sounding(); serial != chain_) {
        chain_ = serial;
        origin_ = chain.origin(serial);
        stage_knows_ = false;
        statistics_ = LevelStatistics(chain.stage_count(serial) + 1, statistics_.window());
        lasting_ = LevelStatistics(chain.stage_count(serial) + 1, kLastingSeconds);
        pushed_ = summed_up_ = lasting_at_ = 0;
        lasting_levels_ = {};
        const auto warm = chain.take_warm_taps(serial);
        skip_below_ = warm.empty() ? kColdPieces : 0;
        for (const TapFrame& f : warm) take(f);
        for (const TapFrame& f : early_) {
            if (f.chain == chain_) take(f);
        }
        std::erase_if(early_, [this](const TapFrame& f) { return f.chain <= chain_; });
        levels_ = statistics_.report();
    }
    // Ten pieces of 10 ms make a tenth of a second; long windows change slowly and cost more.
    const auto every = std::max<std::int64_t>(10, static_cast<std::int64_t>(statistics_.window()));
    if (sum_up && pushed_ - summed_up_ >= every) {
        levels_ = statistics_.report();
        summed_up_ = pushed_;
    } else {
        statistics_.update_now(levels_);
    }
}

const LevelReport& MeterReader::lasting_levels() {
    const auto frames = static_cast<double>(lasting_.frames(0).size());
    if (frames * kTapFrameSeconds <= statistics_.window()) return levels_;
    constexpr std::int64_t kEvery = 200;  // pieces of 10 ms
    if (lasting_levels_.taps.size() != lasting_.taps() || pushed_ - lasting_at_ >= kEvery) {
        lasting_levels_ = lasting_.report();
        lasting_at_ = pushed_;
    }
    return lasting_levels_;
}

void MeterReader::poll_feed() {
    const StreamFormat& format = outside_ ? outside_format_ : engine_.format();
    if (feed_.follow(outside_ ? outside_ : engine_.feed_history())) {
        feed_.skip_to_newest();
        meter_ = std::make_unique<LoudnessMeter>(format);
        loudness_ = {};
        loudness_at_ = feed_.at();
    }
    bool any = false;
    // Overrun, because poll() was not called for seconds: continues with the next frame.
    AudioBlock piece;
    while (feed_.next(kPiece, piece) == RingReader::Got::sound) {
        meter_->add(piece);
        any = true;
    }
    if (!any) return;
    // Ten times a second: the loudness of three seconds is summed up over all of them.
    if (feed_.at() - loudness_at_ < static_cast<std::int64_t>(0.1 * format.sample_rate)) return;
    loudness_at_ = feed_.at();
    loudness_ = meter_->read();
}

}  // namespace reed
