#include "model/devices/strip_microphones.h"

namespace reed::ui {

void StripMicrophones::use(const std::shared_ptr<PipeWireHub>& hub) {
    if (hub_ != hub) show({}, {});
    hub_ = hub;
}

void StripMicrophones::show(const Offer& own, const Offer& plain) {
    show(own_, own, false);
    show(plain_, plain, true);
}

void StripMicrophones::show(Offer& now, const Offer& wanted, bool plain) {
    if (now == wanted) return;
    const auto give = [&](FeedSink* sink) {
        plain ? strip_.set_plain_output(sink) : strip_.set_output(sink);
        desk_.settle();
    };
    if (!now.node.empty()) {
        give(nullptr);
        hub_->withdraw(now.node);
    }
    now = wanted;
    if (!now.node.empty()) give(&hub_->offer(now.node, now.title, now.channels));
}

}  // namespace reed::ui
