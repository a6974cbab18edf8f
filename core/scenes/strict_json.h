// What JSON libraries let pass and no file of ours holds: deep nesting, keys given twice.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace reed {

/// Why a text is refused though it is JSON.
struct RefusedJson {
    std::string what;
};

/// Parses `text`. Throws RefusedJson for nesting deeper than `levels` and for keys given twice, and the
/// library's own exceptions for what is no JSON.
nlohmann::ordered_json parse_strict(std::string_view text, size_t levels);

/// As read by the slower of the two readers, whose error says where the text is not valid JSON.
nlohmann::ordered_json parse_with_position(std::string_view text, size_t levels);

}  // namespace reed
