#include "base/case_folding.h"

#include <algorithm>
#include <clocale>
#include <cstdint>
#include <cwctype>

namespace reed {

size_t characters(std::string_view text) {
    // Every byte but those that continue a character (RFC 3629).
    return static_cast<size_t>(std::count_if(
        text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}
namespace {

/// Length in bytes of the character that begins at `at`, and its code; 0 when these bytes are none.
size_t decode(std::string_view text, size_t at, char32_t& code) {
    const auto byte = [&](size_t i) { return static_cast<unsigned char>(text[i]); };
    const unsigned char first = byte(at);
    const size_t length = first < 0x80 ? 1 : first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : first >= 0xc2 ? 2 : 0;
    if (length == 0 || at + length > text.size() || first > 0xf4) return 0;
    code = length == 1 ? first : first & (0x7fU >> length);
    for (size_t i = 1; i < length; ++i) {
        if ((byte(at + i) & 0xc0) != 0x80) return 0;
        code = code << 6 | (byte(at + i) & 0x3fU);
    }
    return length;
}

void append(std::string& to, char32_t code) {
    if (code < 0x80) {
        to += static_cast<char>(code);
    } else if (code < 0x800) {
        to += static_cast<char>(0xc0 | code >> 6);
        to += static_cast<char>(0x80 | (code & 0x3f));
    } else if (code < 0x10000) {
        to += static_cast<char>(0xe0 | code >> 12);
        to += static_cast<char>(0x80 | (code >> 6 & 0x3f));
        to += static_cast<char>(0x80 | (code & 0x3f));
    } else {
        to += static_cast<char>(0xf0 | code >> 18);
        to += static_cast<char>(0x80 | (code >> 12 & 0x3f));
        to += static_cast<char>(0x80 | (code >> 6 & 0x3f));
        to += static_cast<char>(0x80 | (code & 0x3f));
    }
}

}  // namespace

std::string case_folded(std::string_view text) {
    // The C library's tables; this locale comes with it, whatever the user's is.
    static const locale_t unicode = newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr);
    std::string out;
    out.reserve(text.size());
    for (size_t at = 0; at < text.size();) {
        char32_t code = 0;
        const size_t length = decode(text, at, code);
        if (length == 0) {
            out += text[at++];
            continue;
        }
        const auto c = static_cast<wint_t>(code);
        append(out, static_cast<char32_t>(unicode != nullptr ? towlower_l(c, unicode) : towlower(c)));
        at += length;
    }
    return out;
}

}  // namespace reed
