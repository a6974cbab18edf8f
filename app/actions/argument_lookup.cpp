#include "actions/argument_lookup.h"

#include "actions/actions.h"

namespace reed::ui {

const SceneEntry* sceneOf(AppModel& s, const QString& word) {
    const auto& all = s.scenes().scenes();
    for (const auto& entry : all) {
        if (QString::fromStdString(entry.scene.name) == word) return &entry;
    }
    const int place = word.toInt();
    return place >= 1 && static_cast<size_t>(place) <= all.size() ? &all[static_cast<size_t>(place - 1)]
                                                                  : nullptr;
}

QString noScene(AppModel& s, const QString& word) {
    QStringList names;
    for (const auto& entry : s.scenes().scenes()) names << QString::fromStdString(entry.scene.name);
    return QObject::tr("No scene named “%1”. Available: %2.").arg(shortened(word), names.join(", "));
}

StripModel* stripOf(AppModel& s, const QString& word) {
    if (StripModel* named = s.mixer().find(word.toStdString())) return named;
    const auto& all = s.mixer().strips();
    for (StripModel* strip : all) {
        if (strip->name().compare(word, Qt::CaseInsensitive) == 0) return strip;
    }
    const int place = word.toInt();
    return place >= 1 && static_cast<size_t>(place) <= all.size() ? all[static_cast<size_t>(place - 1)]
                                                                  : nullptr;
}

QString noStrip(AppModel& s, const QString& word) {
    QStringList ids;
    for (const StripModel* strip : s.mixer().strips())
        ids << QString::fromStdString(strip->chainModel().spec().id);
    return QObject::tr("No strip named “%1”. Available: %2.").arg(shortened(word), ids.join(", "));
}

StageTarget stageOf(AppModel& s, const QString& word) {
    StageTarget out{&s.mixer().current(), nullptr, {}};
    QString name = word;
    if (word.contains('/')) {
        out.strip = stripOf(s, word.section('/', 0, 0));
        name = word.section('/', 1);
        if (out.strip == nullptr) return {nullptr, nullptr, noStrip(s, word.section('/', 0, 0))};
    }
    out.stage = out.strip->chainModel().stage(name.toStdString());
    const auto& all = out.strip->chainModel().chain().stages;
    const int place = name.toInt();
    if (out.stage == nullptr && place >= 1 && static_cast<size_t>(place) <= all.size())
        out.stage = &all[static_cast<size_t>(place - 1)];
    if (out.stage != nullptr) return out;
    QStringList ids;
    for (const auto& stage : all) ids << QString::fromStdString(stage.id);
    out.why = QObject::tr("No stage named “%1”. Available: %2.").arg(shortened(name), ids.join(", "));
    return out;
}

Place placeOf(AppModel& s, const QString& words) {
    const StageTarget at = stageOf(s, words.section(' ', 0, 0));
    if (at.stage == nullptr) return {nullptr, {}, 0, {}, at.why};
    const QString name = words.section(' ', 1, 1);
    const int row = at.stage->stage_kind().find(name.toStdString());
    if (row >= 0)
        return {&at.strip->chainModel(), at.stage->id, static_cast<size_t>(row), words.section(' ', 2), {}};
    QStringList ids;
    for (const Parameter& p : at.stage->stage_kind().parameters)
        ids << QString::fromUtf8(p.id.data(), static_cast<qsizetype>(p.id.size()));
    return {nullptr,
            {},
            0,
            {},
            QObject::tr("%1 has no parameter “%2”. Available: %3.")
                .arg(QString::fromStdString(at.stage->id), shortened(name), ids.join(", "))};
}

}  // namespace reed::ui
