#include "neural/voice_network.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

#include "dsp/fourier.h"
#include "neural/network_host.h"

namespace reed {
namespace {

static_assert(VoiceNetwork::kBands == kReedNetworkBands);

struct Free {
    void operator()(ReedNetwork* n) const { reed_network_free(n); }
};
using Network = std::unique_ptr<ReedNetwork, Free>;

class RecurrentNetwork final : public VoiceNetwork {
  public:
    explicit RecurrentNetwork(Network network) : network_(std::move(network)) {
        // Every page it will use is touched now, not in the first frames on the audio thread.
        std::array<float, kFrame> frame{};
        std::array<float, kBands> gains{};
        float voice = 0.0f;
        for (int i = 0; i < 20; ++i) {
            for (int k = 0; k < kFrame; ++k)
                frame[static_cast<size_t>(k)] =
                    0.1f * static_cast<float>((k * 73 + i * 31) % 97 - 48) / 48.0f;
            (void)judge(frame.data(), gains.data(), voice);
        }
        restart();
    }
    bool judge(const float* in, float* gains, float& voice) override {
        std::array<float, kFrame> scaled;
        std::array<float, kBands> found;
        for (int i = 0; i < kFrame; ++i) scaled[static_cast<size_t>(i)] = 32768.0f * in[i];
        float heard = 0.0f;
        if (reed_network_gains(network_.get(), scaled.data(), found.data(), &heard) != 0) return false;
        if (!std::isfinite(heard) ||
            !std::all_of(found.begin(), found.end(), [](float g) { return std::isfinite(g); }))
            return false;
        for (size_t k = 0; k < found.size(); ++k) gains[k] = std::clamp(found[k], 0.0f, 1.0f);
        voice = std::clamp(heard, 0.0f, 1.0f);
        return true;
    }
    void restart() override { (void)reed_network_restart(network_.get()); }
    bool follow(const VoiceNetwork& other) override {
        const auto* same = dynamic_cast<const RecurrentNetwork*>(&other);
        return same != nullptr && reed_network_copy(network_.get(), same->network_.get()) == 0;
    }

  private:
    Network network_;
};

}  // namespace

float VoiceNetwork::band_hz(int band) {
    return reed_network_band_hz(band);
}

Result<std::unique_ptr<VoiceNetwork>> make_voice_network() {
    static std::mutex one_at_a_time;
    const std::lock_guard lock(one_at_a_time);
    const auto planning = fourier_planning();
    Network network(reed_network_new());
    if (!network) {
        return Error{"The neural noise suppression can't start: not enough memory.", "",
                     "Close other apps, or choose the adaptive method."};
    }
    return std::unique_ptr<VoiceNetwork>(std::make_unique<RecurrentNetwork>(std::move(network)));
}

}  // namespace reed
