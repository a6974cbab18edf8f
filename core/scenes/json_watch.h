// What JSON libraries let pass and no file of ours holds: deep nesting, keys given twice.
#pragma once

#include <nlohmann/json.hpp>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace reed {

/// Why a text is refused though it is JSON.
struct RefusedJson {
    std::string what;
};

/// Parses `text`. Throws RefusedJson for nesting deeper than `levels` and for keys given twice, and the
/// library's own exceptions for what is no JSON.
inline nlohmann::ordered_json parse_watched(std::string_view text, int levels) {
    using Json = nlohmann::ordered_json;
    std::vector<std::set<std::string>> keys;
    return Json::parse(text, [&](int depth, Json::parse_event_t event, Json& value) {
        if (depth > levels)
            throw RefusedJson{"it is nested more than " + std::to_string(levels) +
                              " levels deep; no file of ours is."};
        if (event == Json::parse_event_t::object_start) keys.emplace_back();
        if (event == Json::parse_event_t::object_end) keys.pop_back();
        if (event == Json::parse_event_t::key && !keys.back().insert(value.get<std::string>()).second)
            throw RefusedJson{"the key \"" + value.get<std::string>() + "\" is given twice."};
        return true;
    });
}

}  // namespace reed
