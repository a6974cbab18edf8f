// Names compared as people do: without regard to upper and lower case.
#pragma once

#include <string>
#include <string_view>

namespace reed {

/// `text` (UTF-8) in lower case, letter by letter, in every script that has cases. Bytes that are no UTF-8
/// stay.
std::string case_folded(std::string_view text);

/// Characters of `text` (UTF-8), not bytes.
size_t characters(std::string_view text);

inline bool same_name(std::string_view a, std::string_view b) {
    return case_folded(a) == case_folded(b);
}

}  // namespace reed
