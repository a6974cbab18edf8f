#include "scenes/differences.h"

#include <catch2/catch.hpp>
#include <random>

#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using What = Difference::What;

namespace {
std::vector<What> kinds(const ChainSpec& saved, const ChainSpec& now) {
    std::vector<What> out;
    for (const auto& d : differences(saved, now)) out.push_back(d.what);
    return out;
}
}  // namespace

TEST_CASE("what differs between two chains is told piece by piece", "[scenes]") {
    const ChainSpec saved =
        chain_of({stage("gain"), stage("gate"), stage("equalizer"), stage("compressor"), stage("limiter")});
    CHECK(differences(saved, saved).empty());
    ChainSpec now = saved;
    now.stages[1].set("open_threshold", -44);
    const auto one = differences(saved, now);
    REQUIRE(one.size() == 1);
    CHECK(one[0].stage == "gate");
    CHECK(one[0].title == "Gate");
    CHECK(one[0].saved == -42.0);
    CHECK(one[0].now == -44.0);
    now.stages[1].bypass = true;
    now.stages[2].title = "Tone";
    CHECK(kinds(saved, now) == std::vector{What::bypassed, What::value, What::renamed});
    CHECK(kinds(now, saved)[0] == What::enabled);
    // What is of the moment is no change.
    now = saved;
    now.stages[2].set("listen", 3);
    CHECK(differences(saved, now).empty());
    // One stage that goes to the end moves; the others, which all stand one place on, do not.
    now = saved;
    std::rotate(now.stages.begin(), now.stages.begin() + 1, now.stages.end());
    REQUIRE(kinds(saved, now) == std::vector{What::moved});
    CHECK(differences(saved, now)[0].stage == "gain");
    now.stages.erase(now.stages.begin());  // the gate
    now.stages.push_back(stage("expander"));
    CHECK(kinds(saved, now) == std::vector{What::moved, What::added, What::removed});
    // Another kind under the same id is another stage.
    now = saved;
    now.stages[1] = stage("expander");
    now.stages[1].id = "gate";
    CHECK(kinds(saved, now) == std::vector{What::added, What::removed});
}

TEST_CASE("taking every difference of values back gives the saved chain, whatever was turned", "[scenes]") {
    std::mt19937 random(11);
    for (int round = 0; round < 50; ++round) {
        ChainSpec saved;
        for (int i = 0; i < 5; ++i) {
            const auto kinds_there = stage_kinds();
            saved.stages.push_back(new_stage(saved, *kinds_there[random() % kinds_there.size()]));
        }
        ChainSpec now = saved;
        for (auto& s : now.stages) {
            const auto& table = s.stage_kind().parameters;
            for (size_t p = 0; p < table.size(); ++p) {
                if (random() % 4 == 0 && !table[p].transient)
                    s.values[p] = random() % 2 == 0 ? table[p].minimum : table[p].maximum;
            }
            if (random() % 3 == 0) s.bypass = !s.bypass;
        }
        for (const auto& d : differences(saved, now)) {
            auto& s = now.stages[static_cast<size_t>(now.index_of(d.stage))];
            if (d.what == What::value) {
                CHECK(s.values[d.row] == d.now);
                s.values[d.row] = d.saved;
            } else {
                s.bypass = d.what == What::enabled;
            }
        }
        CHECK(now == saved);
    }
}
