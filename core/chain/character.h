// A character: stages that are applied after a chain for a while.
#pragma once

#include <string>
#include <vector>

#include "chain/link.h"
#include "dsp/loudness_compensator.h"

namespace reed {

/// A running character. Costs nothing while it is off. Cross-fades in 30 ms. It is lowered to
/// 0.45 dB below the loudness of its input, and never raised. The cross-fade starts when its first output is
/// available. Constructed on a control thread; all other functions: audio thread only, real-time safe.
class Character {
  public:
    /// Precondition: all stages of `spec` are valid.
    Character(const CharacterSpec& spec, const StreamFormat& format);

    const std::string& name() const { return name_; }
    std::vector<Link>& links() { return links_; }
    const std::vector<Link>& links() const { return links_; }
    /// Frames it adds while it is on.
    int latency() const { return latency_; }

    /// Call at every sub-block boundary. `wanted`: whether the character is on.
    void begin_sub_block(bool wanted) noexcept;
    /// Whether run() does anything until the next sub-block boundary.
    bool runs() const { return runs_; }
    /// Fades `sound` to what the character makes of `input`, which is changed. Of the same shape, at most
    /// kSubBlock frames, which must not cross a sub-block boundary; `sound` is later than `input` by
    /// latency(), or the voice is later while the character is on. Returns how many samples were repaired.
    std::uint64_t run(const AudioBlock& input, const AudioBlock& sound) noexcept;

  private:
    std::string name_;
    std::vector<Link> links_;
    LoudnessCompensator loudness_;
    int latency_ = 0;
    int silent_ = 0;  // frames until its first sound comes out
    bool wanted_ = false, runs_ = false;
    float share_ = 0.0f, step_ = 1.0f;  // of the fade: 0 is the chain alone
};

}  // namespace reed
