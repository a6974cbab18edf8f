// The part of the takes that compares two sides.
#include <algorithm>
#include <cmath>
#include <random>

#include "model/scenes/scene_manager.h"
#include "model/strips/monitor_controller.h"
#include "model/takes/takes_model.h"

namespace reed::ui {
namespace {

constexpr double kMostCompared = 120.0;  // seconds
constexpr double kMostComparedSamples = 16e6;

}  // namespace

void TakesModel::compare(const ComparisonTarget& against) {
    if (!looping()) setLooping(true);
    if (!looping()) return;
    against_ = against;
    matched_.clear();
    const StreamFormat format = strip_->engine().format();
    const double most = std::min(kMostCompared, kMostComparedSamples / format.channels / format.sample_rate);
    if (to_ - from_ > most) {
        context_.notices.say(tr("Comparing the first %1 s only.").arg(most, 0, 'f', 0));
        setPart(from_, from_ + most);
    }
    renderComparison();
    emit comparisonChanged();
}

void TakesModel::endComparison() {
    work_.drop(compare_);
    compare_later_.stop();
    blind_.reset();
    if (!against_) return;
    against_.reset();
    matched_.clear();
    if (strip_ != nullptr) {
        strip_->liveStrip().takes().compare(nullptr);
        (void)strip_->monitoring().overrideSource(nullptr);
    }
    emit comparisonChanged();
}

void TakesModel::renderComparison() {
    if (!against_ || !loop_ || strip_ == nullptr) return;
    const auto both = makeComparison(*against_, worked(), scenes_);
    if (!both) {
        context_.notices.warn(tr("Nothing to compare with. Select a stage or save a scene first."));
        return endComparison();
    }
    work_.drop(compare_);
    std::filesystem::path other;
    if (against_->what == ComparisonTarget::What::take) {
        for (const Take& t : all_) {
            if (QString::fromStdString(t.path.filename()) == against_->name) other = t.path;
        }
    }
    const StreamFormat format = strip_->engine().format();
    compare_ = work_.run(
        tr("Rendering both sides"),
        [both = *both, loop = loop_, format, other](const Progress& progress) {
            return compare_loops(both.first, both.second, *loop, format, other, progress);
        },
        [this](Result<ComparedLoops> made) {
            if (!against_ || strip_ == nullptr) return;
            if (!made.ok()) {
                context_.notices.tell(made.error());
                return endComparison();
            }
            const Compared& figures = made.value().figures;
            const double by = figures.gain_applied_db();
            matched_ = !figures.a_lufs || !figures.b_lufs ? tr("One side is silent.")
                       : std::abs(by) < 0.1               ? tr("Both sides are equally loud.")
                                            : tr("“%1” was %2 LU louder; levels are matched.")
                                                  .arg(sideName(by < 0.0))
                                                  .arg(std::abs(by), 0, 'f', 1);
            strip_->liveStrip().takes().compare(std::move(made.value().pair));
            (void)strip_->monitoring().overrideSource(strip_->liveStrip().takes().heard());
            emit comparisonChanged();
        });
}

QString TakesModel::sideName(bool b) const {
    return b || !against_ ? tr("Now") : nameOf(*against_);
}

bool TakesModel::sideB() const {
    return strip_ != nullptr && strip_->liveStrip().takes().chosen_b();
}

void TakesModel::chooseSide(bool b) {
    if (strip_ == nullptr) return;
    strip_->liveStrip().takes().choose(b);
    emit comparisonChanged();
}

void TakesModel::beginBlind() {
    if (!comparing()) return;
    blind_.emplace(std::random_device{}());
    hearX();
    emit comparisonChanged();
}

void TakesModel::endBlind() {
    blind_.reset();
    emit comparisonChanged();
}

void TakesModel::hearX() {
    if (blind_ && strip_ != nullptr) strip_->liveStrip().takes().choose(blind_->x_is_b());
}

void TakesModel::answer(bool b) {
    if (!blind_ || blind_->done()) return;
    blind_->answer(b);
    if (!blind_->done()) hearX();
    emit comparisonChanged();
}

}  // namespace reed::ui
