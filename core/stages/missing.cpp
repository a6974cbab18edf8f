#include "stages/missing.h"

namespace reed {
namespace {

class PassingStage final : public Stage {
  public:
    explicit PassingStage(std::string why) : why_(std::move(why)) { tell_trouble(why_.c_str()); }
    void prepare(const StreamFormat&, std::span<const double>) override {}
    void set_values(std::span<const double>) override {}
    void process(const AudioBlock&) override {}
    void reset() override {}

  private:
    std::string why_;
};

Finding finding(const Situation&) {
    return {"missing",
            FindingTone::warning,
            "This program has no stage of this kind, so the sound passes unchanged. Its settings are kept as "
            "they "
            "are.",
            {},
            {}};
}

}  // namespace

std::unique_ptr<Stage> make_passing_stage(std::string why) {
    return std::make_unique<PassingStage>(std::move(why));
}

const StageKind kMissingStage{
    .id = "",
    .title = "Missing",
    .purpose = "Passes the sound: its kind is not known here",
    .make = []() -> Result<std::unique_ptr<Stage>> {
        return make_passing_stage(
            "this program has no stage of this kind, so the sound passes unchanged. Its settings are kept as "
            "they "
            "are.");
    },
    .finding = finding,
};

}  // namespace reed
