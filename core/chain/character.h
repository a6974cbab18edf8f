// Stages laid over a chain for a moment.
#pragma once

#include <string>
#include <vector>

#include "chain/link.h"
#include "dsp/loudness_compensator.h"

namespace reed {

/// A character as it runs. Off, it costs nothing. It is faded in and out in 30 ms, and is no louder than what
/// it is made of. Its delay is not made up for: the voice comes so much later while it is on, and the fade in
/// waits until there is sound to fade to. Built off the audio thread, the rest on it.
class Character {
  public:
    /// Of valid stages.
    Character(const CharacterSpec& spec, const StreamFormat& format);

    const std::string& name() const { return name_; }
    std::vector<Link>& links() { return links_; }
    const std::vector<Link>& links() const { return links_; }
    /// Frames it adds while it is on.
    int latency() const { return latency_; }

    /// Whether it is to be heard; at a grain boundary, before begin_sub_block().
    void begin_sub_block(bool wanted) noexcept;
    /// In place, at most kSubBlock frames, never across a grain boundary. Tells how many samples had to be
    /// repaired.
    std::uint64_t run(const AudioBlock& block) noexcept;

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
