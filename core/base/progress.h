// How far long work is, and whether it is still wanted.
#pragma once

#include <functional>

#include "base/result.h"

namespace reed {

/// Told how much is done (0 to 1); returns false to cancel.
using Progress = std::function<bool(double)>;

/// What a part of the work tells that goes from `from` to `to` of the whole.
inline Progress part_of(const Progress& whole, double from, double to) {
    if (!whole) return {};
    return [whole, from, to](double done) { return whole(from + (to - from) * done); };
}

inline Error cancelled(const std::string& where) {
    return {"Cancelled.", where, "Nothing was written."};
}

}  // namespace reed
