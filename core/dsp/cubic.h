// Cubic interpolation.
#pragma once

namespace reed {

/// Interpolates between `b` (t = 0) and `c` (t = 1) with their neighbours: E. Catmull, R. Rom, "A
/// class of local interpolating splines", in "Computer Aided Geometric Design", 1974.
inline float cubic(float a, float b, float c, float d, float t) {
    return b + 0.5f * t * (c - a + t * (2.0f * a - 5.0f * b + 4.0f * c - d + t * (3.0f * (b - c) + d - a)));
}

}  // namespace reed
