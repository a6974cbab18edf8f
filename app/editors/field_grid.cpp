#include "editors/field_grid.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <cmath>
#include <numeric>

#include "model/strips/parameter_ref.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/value_field.h"
#include "widgets/words.h"

namespace reed::ui {

Words* addWordsBelow(QBoxLayout& column, QWidget* parent, const char* object_name, int pixels) {
    auto* words = new Words(Words::Ink::muted, parent);
    words->setObjectName(object_name);
    words->setFont(ui::font(pixels));
    words->setWordWrap(true);
    auto* line = new QHBoxLayout;
    line->setContentsMargins(6, 0, 0, 0);
    line->addWidget(words);
    column.addLayout(line);
    return words;
}

FieldGrid::FieldGrid(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    grid_ = new QGridLayout(this);
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(14);
    grid_->setVerticalSpacing(1);
    connect(&strip_.context().midi, &MidiAssignments::changed, this, &FieldGrid::refresh);
}

MidiTarget FieldGrid::addressOf(size_t parameter) const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    const std::string id(s->stage_kind().parameters[parameter].id);
    return {{}, ParameterRef(strip_, stage_.id(), id).address()};
}

void FieldGrid::build(const std::vector<size_t>& parameters, int rows) {
    for (auto& [index, f] : fields_) {
        grid_->removeWidget(f);  // at once: two sets of fields would push their neighbours about
        f->hide();
        f->deleteLater();
    }
    fields_.clear();
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const int count = static_cast<int>(parameters.size());
    columns_ = std::max(1, (count + rows - 1) / rows);
    const int used = (count + columns_ - 1) / columns_;
    for (int i = 0; i < count; ++i) {
        const size_t parameter = parameters[static_cast<size_t>(i)];
        auto* f = new ValueField(s->stage_kind().parameters[parameter], this);
        f->setValue(s->values[parameter]);
        f->setMinimumWidth(168);
        connect(f, &ValueField::valueRequested, this,
                [this, parameter](double v) { stage_.set(parameter, v); });
        connect(f, &ValueField::finished, this, [this] { stage_.done(); });
        connect(f, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
        f->offerMidi();
        connect(f, &ValueField::midiRequested, this,
                [this, parameter] { strip_.context().midi.edit(addressOf(parameter)); });
        grid_->addWidget(f, i % used, i / used);
        fields_.emplace_back(parameter, f);
    }
    grid_->setRowStretch(used, 1);
    refresh();
}

void FieldGrid::buildAll(int rows) {
    const StageSpec* s = stage_.spec();
    std::vector<size_t> all(s == nullptr ? 0 : s->values.size());
    std::iota(all.begin(), all.end(), size_t{0});
    build(all, rows);
}

ValueField* FieldGrid::field(const QString& parameter_id) const {
    for (const auto& [index, f] : fields_) {
        if (f->objectName() == parameter_id) return f;
    }
    return nullptr;
}

void FieldGrid::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    for (auto& [index, f] : fields_) {
        if (index < s->values.size()) f->setValue(s->values[index]);
        f->setNext(index == stage_.strip().lastUsed(stage_.id()));
        f->setMidi(strip_.context().midi.textOfValue(addressOf(index).value));
    }
}

QString FieldGrid::showReadouts() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    const auto told = strip_.engine().chain().readouts(*s);
    QStringList lines;
    const auto& kinds = s->stage_kind().readouts;
    for (size_t i = 0; i < kinds.size() && i < told.size(); ++i) {
        const double value = static_cast<double>(told[i]);
        Parameter shown{};
        shown.unit = kinds[i].unit;
        shown.minimum = -1e6;
        shown.maximum = 1e6;
        // Rounded, so that the words do not flicker.
        const double rounded = kinds[i].unit == Unit::hertz && value > 1000.0
                                   ? 100.0 * std::round(value / 100.0)
                                   : std::round(value);
        lines << tr("%1: %2").arg(text(kinds[i].title), QString::fromStdString(format_value(shown, rounded)));
        if (ValueField* beside = kinds[i].beside.empty() ? nullptr : field(text(kinds[i].beside)))
            beside->setMeasured(s->bypass ? std::nullopt : std::optional(value));
    }
    return lines.join('\n');
}

void FieldGrid::setRelevant(size_t parameter, bool relevant) {
    for (auto& [index, f] : fields_) {
        if (index == parameter) f->setVisible(relevant);
    }
}

}  // namespace reed::ui
