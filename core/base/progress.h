// Progress and cancellation of long work.
#pragma once

#include <functional>

#include "base/result.h"

namespace reed {

/// Called with the completed part, 0 to 1; returns false to cancel.
using Progress = std::function<bool(double)>;

/// Progress of a part of the work that is `from` to `to` of the whole.
inline Progress part_of(const Progress& whole, double from, double to) {
    if (!whole) return {};
    return [whole, from, to](double done) { return whole(from + (to - from) * done); };
}

inline Error cancelled(const std::string& where) {
    return {"Cancelled.", where, "Nothing was written."};
}

}  // namespace reed
