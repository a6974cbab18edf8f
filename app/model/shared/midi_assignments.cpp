#include "model/shared/midi_assignments.h"

#include <algorithm>
#include <system_error>

#include "base/file.h"

namespace reed::ui {
namespace {

/// A name for the file of a device: letters, digits and hyphens of the device's name.
std::string fileName(const QString& device) {
    QString out;
    for (const QChar c : device.toLower()) {
        if (c.isLetterOrNumber() && c.unicode() < 128)
            out += c;
        else if (!out.isEmpty() && !out.endsWith('-'))
            out += '-';
    }
    while (out.endsWith('-')) out.chop(1);
    return (out.isEmpty() ? QStringLiteral("device") : out.left(60)).toStdString();
}

MidiAssignment made(const MidiControl& control, MidiCoding coding, const MidiTarget& target) {
    return {control, coding, target.slot.toStdString(), target.value.toStdString()};
}

auto byControl(const MidiControl& control) {
    return [control](const MidiAssignment& a) { return a.control == control; };
}

}  // namespace

MidiTarget MidiAssignments::targetOf(const MidiAssignment& a) {
    return {QString::fromStdString(a.action), QString::fromStdString(a.value)};
}

QString MidiAssignments::describe(const QString& device, const MidiControl& control) {
    return tr("%1, channel %2, %3")
        .arg(device)
        .arg(static_cast<int>(control.channel))
        .arg(QString::fromStdString(to_text(control)));
}

void MidiAssignments::read() {
    files_.clear();
    std::error_code ec;
    std::vector<std::filesystem::path> paths;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, ec)) {
        if (entry.path().extension() == ".json") paths.push_back(entry.path());
    }
    std::ranges::sort(paths);
    for (const auto& path : paths) {
        auto file = load_midi_file(path);
        if (!file.ok()) {
            notices_.tell(file.error());
            continue;
        }
        const QString device = QString::fromStdString(file.value().assignments.device);
        if (files_.contains(device)) {
            notices_.warn(tr("%1 is ignored: %2 has assignments for “%3” too.")
                              .arg(QString::fromStdString(path.string()),
                                   QString::fromStdString(files_[device].path.string()), device));
            continue;
        }
        const auto& left_out = file.value().left_out;
        if (!left_out.empty())
            notices_.warn(
                QString::fromStdString(left_out.front().text(path.string())) +
                (left_out.size() == 1
                     ? QString()
                     : ' ' + tr("%1 more can't be used.").arg(static_cast<int>(left_out.size()) - 1)));
        files_[device] = {std::move(file.value().assignments), path, !left_out.empty()};
    }
    emit changed();
}

std::vector<MidiAssignments::Assigned> MidiAssignments::all() const {
    std::vector<Assigned> out;
    for (const auto& [device, file] : files_)
        for (const MidiAssignment& a : file.assignments.all) out.push_back({device, a});
    return out;
}

std::vector<MidiAssignments::Assigned> MidiAssignments::of(const MidiTarget& target) const {
    std::vector<Assigned> out = all();
    std::erase_if(out, [&](const Assigned& a) { return targetOf(a.what) != target; });
    return out;
}

std::optional<MidiAssignment> MidiAssignments::at(const QString& device, const MidiControl& control) const {
    const auto file = files_.find(device);
    if (file == files_.end()) return std::nullopt;
    const auto& all = file->second.assignments.all;
    const auto found = std::ranges::find_if(all, byControl(control));
    return found == all.end() ? std::nullopt : std::optional(*found);
}

QString MidiAssignments::text(const MidiTarget& target) const {
    const auto all = of(target);
    if (all.empty()) return {};
    return all.size() == 1 ? QString::fromStdString(to_text(all.front().what.control))
                           : tr("%1 controls").arg(static_cast<int>(all.size()));
}

QString MidiAssignments::textOfValue(const QString& address) const {
    if (files_.empty()) return {};
    const QString own = text({{}, address});
    return own.isEmpty() ? text({{}, "*/" + address.section('/', 1)}) : own;
}

MidiAssignments::File& MidiAssignments::fileOf(const QString& device) {
    File& file = files_[device];
    if (file.path.empty()) {
        file.assignments.device = device.toStdString();
        file.path = unique_path(folder_ / (fileName(device) + ".json"));
    }
    return file;
}

bool MidiAssignments::save(File& file) {
    if (file.incomplete) {
        std::error_code ec;
        const auto aside = unique_path(file.path.string() + ".kept");
        std::filesystem::copy_file(file.path, aside, ec);
        if (ec) {
            notices_.warn(tr("%1 can't be saved: what is in it can't be copied to %2 (%3).")
                              .arg(QString::fromStdString(file.path.string()),
                                   QString::fromStdString(aside.string()),
                                   QString::fromStdString(ec.message())));
            return false;
        }
        file.incomplete = false;
    }
    const auto saved = write_file(file.path, write_midi_file(file.assignments));
    if (!saved.ok()) notices_.tell(saved.error());
    return saved.ok();
}

bool MidiAssignments::assign(const QString& device, const MidiControl& control, MidiCoding coding,
                             const MidiTarget& target) {
    File& file = fileOf(device);
    auto& all = file.assignments.all;
    const auto former = at(device, control);
    std::erase_if(all, byControl(control));
    if (all.size() >= kMaxMidiAssignments) {
        notices_.warn(tr("“%1” has %2 assignments, the most there can be. Remove one first.")
                          .arg(device)
                          .arg(static_cast<int>(kMaxMidiAssignments)));
        return false;
    }
    all.push_back(made(control, coding, target));
    const MidiAssignment what = all.back();
    const bool saved = save(file);
    emit changed();
    const auto before = former ? std::optional(targetOf(*former)) : std::nullopt;
    emit assigned(device, what, before == target ? std::nullopt : before);
    return saved;
}

void MidiAssignments::remove(const QString& device, const MidiControl& control) {
    if (!at(device, control)) return;
    File& file = fileOf(device);
    std::erase_if(file.assignments.all, byControl(control));
    (void)save(file);
    emit changed();
}

void MidiAssignments::setCoding(const QString& device, const MidiControl& control, MidiCoding coding) {
    if (!at(device, control)) return;
    File& file = fileOf(device);
    std::ranges::find_if(file.assignments.all, byControl(control))->coding = coding;
    (void)save(file);
    emit changed();
}

void MidiAssignments::renamed(const QString& from, const QString& to) {
    bool any = false;
    for (auto& [device, file] : files_) {
        bool here = false;
        for (MidiAssignment& a : file.assignments.all) {
            if (a.action != from.toStdString()) continue;
            a.action = to.toStdString();
            here = true;
        }
        if (here) (void)save(file);
        any = any || here;
    }
    if (any) emit changed();
}

void MidiAssignments::learn(const MidiTarget& target) {
    learning_ = target;
    emit learningChanged();
}

void MidiAssignments::stopLearning() {
    if (!learning_) return;
    learning_.reset();
    emit learningChanged();
}

void MidiAssignments::learned(const QString& device, const MidiControl& control, MidiCoding coding) {
    if (!learning_) return;
    const MidiTarget target = *learning_;
    stopLearning();
    (void)assign(device, control, coding, target);
}

void MidiAssignments::setDevices(const QStringList& devices, bool available) {
    if (devices == devices_ && available == available_) return;
    devices_ = devices;
    available_ = available;
    emit devicesChanged();
}

}  // namespace reed::ui
