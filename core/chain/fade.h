// How one chain takes over from another.
#pragma once

namespace reed {

struct Fade {
    double seconds = 0.030;  ///< kShortestFade to kLongestFade; what is beyond is taken as that
    /// All of it goes from one chain to the other, also values that the running chain could apply directly.
    bool whole = false;

    static const Fade quick, scene;
    static constexpr Fade over(double seconds) { return {seconds, true}; }
    bool operator==(const Fade&) const = default;
};
inline constexpr double kShortestFade = 0.030, kLongestFade = 10.0;  // s
inline constexpr Fade Fade::quick{kShortestFade, false};
inline constexpr Fade Fade::scene{0.300, true};

}  // namespace reed
