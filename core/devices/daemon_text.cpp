#include "devices/daemon_text.h"

#include <algorithm>
#include <cctype>
#include <nlohmann/json.hpp>

namespace reed {
namespace {

constexpr size_t kLongestValue = 4096;  // names are far shorter

bool contains(std::string text, const char* word) {
    std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
    return text.find(word) != std::string::npos;
}

}  // namespace

std::string default_name(const char* value) noexcept {
    if (value == nullptr) return {};
    const std::string_view text(value);
    if (text.size() > kLongestValue) return {};
    try {
        const auto json = nlohmann::json::parse(text, nullptr, false);
        if (!json.is_object()) return {};
        const auto name = json.find("name");
        return name != json.end() && name->is_string() ? name->get<std::string>() : std::string();
    } catch (const std::exception&) {
        return {};  // no memory, say: the daemon's thread must not end for it
    }
}

bool looks_like_loudspeakers(const std::string& form_factor, const std::string& name,
                             const std::string& title) {
    if (!form_factor.empty()) {
        return form_factor == "speaker" || form_factor == "internal" || form_factor == "tv" ||
               form_factor == "hifi" || form_factor == "portable" || form_factor == "car";
    }
    for (const auto& text : {name, title}) {
        for (const char* word : {"head", "ear", "usb-c"}) {
            if (contains(text, word)) return false;
        }
    }
    for (const auto& text : {name, title}) {
        for (const char* word : {"speaker", "hdmi", "displayport", "television"}) {
            if (contains(text, word)) return true;
        }
    }
    return false;
}

}  // namespace reed
