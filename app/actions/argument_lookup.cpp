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

ParameterTarget parameterOf(AppModel& s, const QString& words) {
    const QString word = words.section(' ', 0, 0);
    StripModel* strip = &s.mixer().current();
    std::string owner = word.section('/', -1).toStdString();
    if (word.contains('/')) strip = stripOf(s, word.section('/', 0, 0));
    if (strip == nullptr) return {{}, {}, noStrip(s, word.section('/', 0, 0))};
    if (owner != ParameterRef::kStrip && owner != ParameterRef::kHeadphones) {
        const StageTarget at = stageOf(s, word);
        if (at.stage == nullptr) return {{}, {}, at.why};
        owner = at.stage->id;
    }
    const QString name = words.section(' ', 1, 1);
    const ParameterRef found(*strip, owner, name.toStdString());
    if (found.isValid()) return {found, words.section(' ', 2), {}};
    QStringList ids;
    for (const ParameterRef& p : ParameterRef::all(*strip)) {
        const QString address = p.address();
        if (address.section('/', 1, 1).toStdString() == owner) ids << address.section('/', 2);
    }
    return {{},
            {},
            QObject::tr("%1 has no parameter “%2”. Available: %3.")
                .arg(QString::fromStdString(owner), shortened(name), ids.join(", "))};
}

}  // namespace reed::ui
