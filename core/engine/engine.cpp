#include "engine/engine.h"

#include <chrono>
#include <cmath>
#include <limits>

#include "base/decibel.h"
#include "base/flush_to_zero.h"
#include "chain/link.h"

namespace reed {
namespace {

constexpr double kHistorySeconds = 12.0;
constexpr int kPiece = 8192;

std::shared_ptr<HistoryRing> ring(const StreamFormat& format, double seconds) {
    return std::make_shared<HistoryRing>(format.channels, static_cast<size_t>(seconds * format.sample_rate));
}

}  // namespace

Engine::Engine(std::shared_ptr<ChainBuilder> builder)
    : input_(std::make_shared<HistoryRing>(1, 2)),
      feed_(std::make_shared<HistoryRing>(1, 2)),
      monitored_(std::make_shared<HistoryRing>(1, 2)),
      chain_(std::move(builder)) {}

Result<Engine::Prepared> Engine::prepare(const StreamFormat& format, const ChainSpec& spec) {
    auto chain = Chain::build(spec, format);
    if (!chain.ok()) return chain.error();
    return Prepared{format,
                    spec,
                    std::move(chain.value()),
                    ring(format, kHistorySeconds),
                    ring(format, kHistorySeconds),
                    ring(format, 1.0)};
}

Result<void> Engine::open(const StreamFormat& format, const ChainSpec& spec) {
    auto prepared = prepare(format, spec);
    if (!prepared.ok()) return prepared.error();
    open(std::move(prepared.value()));
    return {};
}

void Engine::open(Prepared prepared) {
    format_ = prepared.format;
    input_ = std::move(prepared.input);
    feed_ = std::move(prepared.feed);
    monitored_ = std::move(prepared.monitored);
    chain_.open(format_, prepared.spec, std::move(prepared.chain), input_, kPiece);
    monitor_.prepare(format_, kPiece);
    feed_gain_.prepare(format_.sample_rate, kMuteFade, muted());
    for (auto& c : clips_) c.reset();
    clipped_ = 0;
    load_.restart();
    open_ = true;
}

EngineStats Engine::figures() const {
    EngineStats out;
    out.clipped = clipped_.load(std::memory_order_relaxed);
    out.blocks = load_.blocks();
    out.load = load_.load();
    out.worst_load = load_.worst();
    out.latency = chain_.latency();
    out.block_frames = load_.block_frames();
    out.faults = chain_.faults();
    return out;
}

double strip_level(double fader_db, bool muted) {
    if (!std::isfinite(fader_db)) return std::numeric_limits<double>::quiet_NaN();
    const double inside = std::clamp(fader_db, kFaderMinDb, kFaderMaxDb);
    return muted || inside <= kFaderMinDb ? 0.0 : db_to_gain(inside);
}

// ---- the audio thread ----

void Engine::process(const AudioBlock& block, const Keys& keys) noexcept {
    const FlushToZero no_denormals;
    const auto start = std::chrono::steady_clock::now();
    for (int done = 0; done < block.frames; done += kPiece) {
        process_piece(block.slice(done, std::min(kPiece, block.frames - done)), keys);
    }
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    load_.note(took.count(), block.frames, format_.sample_rate);
}

void Engine::process_piece(const AudioBlock& block, const Keys& keys) noexcept {
    if (!open_.load(std::memory_order_relaxed)) return;
    input_->write(block);
    std::uint64_t clipped = 0;
    for (int c = 0; c < block.channels; ++c) {
        clipped += static_cast<std::uint64_t>(clips_[c].add(block[c], block.frames));
    }
    if (clipped > 0) clipped_.fetch_add(clipped, std::memory_order_relaxed);

    const Listener listener = monitor_.listener(block);
    const ChainRunner::Heard heard = chain_.run(block, listener, monitor_.fresh_listener(block), keys);
    // A looping take is not sent to the output, but to the headphones.
    monitor_.run(block, *input_, heard, mute_.load(std::memory_order_relaxed) || strip_muted());
    if (const AudioBlock out = monitor_.sound(); out.frames > 0) {
        if (!silence_unhealthy(out)) monitor_.recover();
        monitored_->write(out);
    }
    chain_.apply_level(block, heard);
    feed_gain_.set(muted());
    feed_gain_.process(block);
    (void)silence_unhealthy(block);
    feed_->write(block);
}

}  // namespace reed
