#include "model/takes/take_recorder.h"

#include "base/file.h"
#include "model/strips/strip_model.h"
#include "scenes/library.h"

namespace reed::ui {
namespace {
constexpr int kPiece = 8192;
constexpr const char* kMark = ".recording-";
}  // namespace

struct TakeRecorder::Recording {
    QPointer<StripModel> strip;
    RingReader sound;
    StreamFormat format;
    std::filesystem::path path;
    std::unique_ptr<SoundWriter> writer;
    std::int64_t frames = 0, most = 0;
    bool broken = false;  // nothing more can be written

    /// What has come since; overtaken: part of it is gone.
    RingReader::Got drain(Notifications& notices, bool& failed) {
        AudioBlock piece;
        auto got = RingReader::Got::nothing;
        while (!failed && (got = sound.next(kPiece, piece)) == RingReader::Got::sound) {
            // Longer it could not be taken in.
            if (frames + piece.frames > most) {
                failed = broken = true;
                break;
            }
            if (const auto written = writer->write(piece); !written.ok()) {
                notices.tell(written.error());
                failed = broken = true;
            }
            frames += piece.frames;
        }
        return got;
    }
};

TakeRecorder::TakeRecorder(Notifications& notices, double longest) : notices_(notices), longest_(longest) {}
TakeRecorder::~TakeRecorder() = default;

void TakeRecorder::start(const std::vector<StripModel*>& strips, const std::filesystem::path& folder) {
    (void)create_folders(folder);                 // an error is reported when the file is created
    std::vector<std::unique_ptr<Recording>> all;  // first of all: files take their time
    for (StripModel* s : strips) {
        all.push_back(std::make_unique<Recording>());
        all.back()->strip = s;
        all.back()->sound = RingReader(s->liveStrip().said());
    }
    for (auto& r : all) {
        StripModel* s = r->strip;
        r->format = s->engine().format();
        r->most = static_cast<std::int64_t>(longest_ * r->format.sample_rate);
        const TakeNotes notes = {strips.size() > 1 ? s->name().toStdString() : "", s->name().toStdString(),
                                 s->input().title().toStdString(), date_now(), ""};
        r->path = unique_path(folder / (kMark + scene_file_stem(s->chainModel().spec().id) + ".wav"));
        auto created = SoundWriter::grow(r->path, r->format, tags_of(notes));
        if (!created.ok()) {
            notices_.tell(created.error());
            continue;
        }
        r->writer = std::move(created.value());
        recordings_.push_back(std::move(r));
    }
}

double TakeRecorder::seconds() const {
    if (recordings_.empty()) return 0.0;
    const Recording& first = *recordings_.front();
    return static_cast<double>(first.frames) / first.format.sample_rate;
}

bool TakeRecorder::pump() {
    bool failed = false;
    for (const auto& r : recordings_) {
        const auto got = r->drain(notices_, failed);
        failed = failed || got == RingReader::Got::overtaken || r->strip == nullptr ||
                 r->sound.follow(r->strip->liveStrip().said());
    }
    return !failed;
}

std::vector<std::filesystem::path> TakeRecorder::stop() {
    std::vector<std::filesystem::path> out;
    // All end at the same moment as well.
    for (const auto& r : recordings_) {
        bool failed = r->broken;
        (void)r->drain(notices_, failed);
    }
    for (const auto& r : recordings_) {
        if (const auto finished = r->writer->finish(); !finished.ok() && !r->broken)
            notices_.tell(finished.error());
        std::error_code ec;
        if (r->frames > 0)
            out.push_back(r->path);
        else
            std::filesystem::remove(r->path, ec);
    }
    recordings_.clear();
    return out;
}

Result<Take> TakeRecorder::takeIn(const TakeStore& store, const std::filesystem::path& recording) {
    TakeNotes notes = read_take(recording).notes;
    if (notes.name == recording.stem()) notes.name.clear();  // it has none: its date will do
    auto made = store.import(recording, notes);
    if (!made.ok()) {
        Error e = made.error();
        e.remedy +=
            " What was recorded stays in " + recording.string() + " It will be imported at the next start.";
        return e;
    }
    std::error_code ec;
    std::filesystem::remove(recording, ec);
    return made;
}

std::vector<std::filesystem::path> TakeRecorder::leftIn(const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> out;
    std::error_code ec;
    for (std::filesystem::directory_iterator i(folder, ec), end; !ec && i != end; i.increment(ec)) {
        const std::string name = i->path().filename().string();
        if (name.starts_with(kMark) && i->path().extension() == ".wav" && !SoundWriter::grows(i->path()))
            out.push_back(i->path());
    }
    return out;
}

}  // namespace reed::ui
