#include "engine/readings.h"

#include <cmath>

#include "base/decibel.h"

namespace reed {

namespace {
/// A chain that starts cold still learns the room; its first second and a half say nothing about it.
constexpr std::int64_t kColdPieces = 150;
}  // namespace

Readings::Readings(Engine& engine) : engine_(engine) {}

void Readings::restart() {
    statistics_.clear();
    levels_ = statistics_.report();
    pushed_ = summed_up_ = 0;
    if (meter_) meter_->restart();
    loudness_ = {};
    clips_.clear();
}

void Readings::poll(bool sum_up) {
    poll_clips();
    hear_voice();
    poll_taps(sum_up);
    poll_feed();
}

void Readings::poll_clips() {
    const Clips now{engine_.input_history().written(), engine_.figures().clipped};
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

std::uint64_t Readings::clipped() const {
    return clips_.empty() ? 0 : clips_.back().count - clips_.front().count;
}

void Readings::hear_voice() {
    const HistoryRing& input = engine_.input_history();
    const StreamFormat format = engine_.format();
    const std::int64_t written = input.written();
    if (stage_knows_) {
        detector_.reset();
        return;
    }
    // Another input, or held up for longer than the history lasts.
    const bool lost = written < detector_read_ ||
                      written - detector_read_ > static_cast<std::int64_t>(10.0 * format.sample_rate);
    if (!detector_ || !(detected_ == format) || lost) {
        detector_ = std::make_unique<VoiceDetector>(format.sample_rate);
        detected_ = format;
        const auto before = static_cast<std::int64_t>(0.5 * format.sample_rate);  // no more: it takes time
        detector_from_ = detector_read_ = std::max<std::int64_t>(0, written - before);
    }
    constexpr int kPiece = 4096;
    AudioBuffer piece(format.channels, kPiece);
    float* rows[kMaxChannels] = {piece[0].data(), piece[format.channels - 1].data()};
    while (detector_read_ < written) {
        const int n = static_cast<int>(std::min<std::int64_t>(kPiece, written - detector_read_));
        if (!input.read(detector_read_, n, rows)) return;
        for (size_t i = 0; format.channels > 1 && i < static_cast<size_t>(n); ++i)
            rows[0][i] = 0.5f * (rows[0][i] + rows[1][i]);
        detector_->add(rows[0], n);
        detector_read_ += n;
    }
}

void Readings::take(TapFrame frame) {
    if (frame.tap == 0) {
        const auto length =
            static_cast<std::int64_t>(std::lround(kTapFrameSeconds * engine_.format().sample_rate));
        if (detector_) frame.voice = detector_->at(origin_ + frame.index * length - detector_from_);
    } else if (frame.voice >= 0.0f) {
        stage_knows_ = true;
    }
    if (frame.index < skip_below_) return;
    statistics_.push(frame);
    if (frame.tap == 0) ++pushed_;
}

void Readings::poll_taps(bool sum_up) {
    // A chain reports while it is still fading in; those pieces are kept until it is the one that sounds.
    for (TapFrame f; engine_.take_tap(f);) {
        if (f.chain == chain_)
            take(f);
        else if (f.chain > chain_)
            early_.push_back(f);
    }
    if (const std::uint32_t serial = engine_.sounding(); serial != chain_) {
        chain_ = serial;
        origin_ = engine_.origin(serial);
        stage_knows_ = false;
        statistics_ = LevelStatistics(engine_.stage_count(serial) + 1, statistics_.window());
        pushed_ = summed_up_ = 0;
        const auto warm = engine_.take_warm_taps(serial);
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

void Readings::poll_feed() {
    const HistoryRing& feed = engine_.feed_history();
    if (!meter_ || !(metered_ == engine_.format()) || feed.written() < feed_read_) {
        metered_ = engine_.format();
        meter_ = std::make_unique<LoudnessMeter>(metered_);
        piece_ = AudioBuffer(metered_.channels, 4096);
        feed_read_ = feed.written();
        loudness_ = {};
    }
    float* rows[kMaxChannels] = {piece_[0].data(), metered_.channels > 1 ? piece_[1].data() : nullptr};
    bool any = false;
    while (feed_read_ < feed.written()) {
        const int n = static_cast<int>(std::min<std::int64_t>(4096, feed.written() - feed_read_));
        if (!feed.read(feed_read_, n, rows)) {
            feed_read_ = feed.written();  // overtaken: the window was not drawn for seconds
            break;
        }
        meter_->add(piece_.block(0, n));
        feed_read_ += n;
        any = true;
    }
    if (!any) return;
    // Ten times a second: the loudness of three seconds is summed up over all of them.
    const auto tenth = static_cast<std::int64_t>(0.1 * metered_.sample_rate);
    if (feed_read_ - loudness_at_ < tenth && feed_read_ >= loudness_at_) return;
    loudness_at_ = feed_read_;
    loudness_ = meter_->read();
}

}  // namespace reed
