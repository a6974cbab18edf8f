// The value that a share of others lies below.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace reed {

/// The value at `share` (0 to 1) of the sorted values, the nearest one. Reorders `values`, which are at least
/// one.
template <typename T>
T quantile(std::vector<T>& values, double share) {
    const auto at = values.begin() + std::lround(share * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

}  // namespace reed
