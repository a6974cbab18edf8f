// Case-insensitive comparison of names.
#pragma once

#include <string>
#include <string_view>

namespace reed {

/// Converts UTF-8 text to lower case, character by character, in every script that has cases. Invalid bytes
/// are preserved.
std::string case_folded(std::string_view text);

/// Number of characters (not bytes) of UTF-8 text.
size_t characters(std::string_view text);

inline bool same_name(std::string_view a, std::string_view b) {
    return case_folded(a) == case_folded(b);
}

}  // namespace reed
