#include "stages/missing.h"

namespace reed {
namespace {

class PassingStage final : public Stage {
  public:
    explicit PassingStage(std::string why) : why_(std::move(why)) { set_fault(why_.c_str()); }
    void prepare(const StreamFormat&, std::span<const double>) override {}
    void set_values(std::span<const double>) override {}
    void process(const AudioBlock&) override {}
    void reset() override {}

  private:
    std::string why_;
};

Finding finding(const FindingContext&) {
    return {"missing",
            FindingTone::warning,
            "Unknown stage type: the signal passes through unchanged and its settings are preserved.",
            {},
            {}};
}

}  // namespace

std::unique_ptr<Stage> make_passthrough_stage(std::string why) {
    return std::make_unique<PassingStage>(std::move(why));
}

const StageKind kMissingStage{
    .id = "",
    .title = "Missing",
    .purpose = "Unknown stage type, passes the signal through",
    .make = []() -> Result<std::unique_ptr<Stage>> {
        return make_passthrough_stage(
            "Unknown stage type: the signal passes through unchanged and its settings are preserved.");
    },
    .finding = finding,
};

}  // namespace reed
