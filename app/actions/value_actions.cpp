#include "actions/value_actions.h"

#include <algorithm>
#include <cmath>

#include "actions/actions.h"
#include "actions/argument_lookup.h"

namespace reed::ui {

QString muteStrip(Actions& a, const QString& word, std::optional<bool> muted) {
    StripModel* strip = stripOf(a.app(), word);
    if (strip == nullptr) return noStrip(a.app(), word);
    const ParameterRef mute(*strip, ParameterRef::kStrip, "mute");
    mute.set(muted.value_or(*mute.value() < 0.5) ? 1.0 : 0.0);
    return {};
}

QString setFader(Actions& a, const QString& words, bool by) {
    const QString word = words.section(' ', 0, 0);
    StripModel* strip = stripOf(a.app(), word);
    if (strip == nullptr) return noStrip(a.app(), word);
    const ParameterRef fader(*strip, ParameterRef::kStrip, "fader");
    const Parameter& p = *fader.info();
    QString number = words.section(' ', 1).trimmed();
    if (!by) {
        const auto value = parse_value(p, shortened(number).toStdString());
        if (!value.ok()) return QString::fromStdString(value.error().text());
        fader.set(value.value());
        return {};
    }
    if (number.endsWith("dB", Qt::CaseInsensitive)) number.chop(2);
    bool is_number = false;
    const double db = number.trimmed().toDouble(&is_number);
    if (!is_number || !(std::abs(db) <= p.maximum - p.minimum))
        return QObject::tr("“%1” isn't a change of a fader. Use -72 to 72 dB.").arg(shortened(number));
    fader.set(std::clamp(*fader.value() + db, p.minimum, p.maximum));
    return {};
}

QString setLatency(Actions& a, const QString& words, int row) {
    const auto value =
        parse_value(latency_parameters()[static_cast<size_t>(row)], shortened(words.trimmed()).toStdString());
    if (!value.ok()) return QString::fromStdString(value.error().text());
    LatencySettings next = a.app().audio().latency();
    set_latency_value(next, row, value.value());
    a.app().audio().setLatency(next);
    return {};
}

QString setValue(Actions& a, const QString& words) {
    const ParameterTarget at = parameterOf(a.app(), words);
    if (!at.why.isEmpty()) return at.why;
    const auto value = parse_value(*at.value.info(), shortened(at.rest).toStdString());
    if (!value.ok()) return QString::fromStdString(value.error().text());
    at.value.set(value.value());
    return {};
}

QString setPosition(Actions& a, const QString& words) {
    const ParameterTarget at = parameterOf(a.app(), words);
    if (!at.why.isEmpty()) return at.why;
    bool is_number = false;
    const double position = at.rest.toDouble(&is_number);
    if (!is_number || !(position >= 0.0 && position <= 1.0))
        return QObject::tr("“%1” isn't a position. Use a number from 0 to 1.").arg(shortened(at.rest));
    at.value.setPosition(position);
    return {};
}

QString stepValue(Actions& a, const QString& words) {
    const ParameterTarget at = parameterOf(a.app(), words);
    if (!at.why.isEmpty()) return at.why;
    bool is_number = false;
    const double steps = at.rest.toDouble(&is_number);
    if (!is_number || !(std::abs(steps) <= 1000.0))
        return QObject::tr(
                   "“%1” isn't a number of steps. Use -1000 to 1000; 1 is one wheel step, 0.1 a fine step.")
            .arg(shortened(at.rest));
    const bool fine = std::abs(steps) < 1.0;
    at.value.step(fine ? 10.0 * steps : steps, fine);
    return {};
}

}  // namespace reed::ui
