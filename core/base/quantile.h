// Quantiles.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace reed {

/// The nearest-rank quantile at `share` (0 to 1). Reorders `values`. Precondition: not empty.
template <typename T>
T quantile(std::vector<T>& values, double share) {
    const auto at = values.begin() + std::lround(share * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

}  // namespace reed
