// Text that any program may have put into the daemon.
#include <catch2/catch.hpp>
#include <string>

#include "devices/daemon_text.h"

using namespace reed;

TEST_CASE("the default device's name is read from what the session manager writes, and from nothing else",
          "[devices]") {
    CHECK(default_name(R"({"name":"desk_mic"})") == "desk_mic");
    CHECK(default_name(R"({ "name": "desk_mic", "more": [1, 2] })") == "desk_mic");
    for (const char* other : {R"({"name":5})", R"({"name":null})", R"({"name":{"name":"x"}})",
                              R"({"title":"x"})", R"(["name"])", "\"name\"", "5", "", "{", "\xff\xfe"}) {
        INFO(other);
        CHECK(default_name(other).empty());
    }
    CHECK(default_name(nullptr).empty());
    CHECK(default_name(std::string(100'000, '[').c_str()).empty());
    CHECK(default_name((R"({"name":")" + std::string(100'000, 'a') + R"("})").c_str()).empty());
}
