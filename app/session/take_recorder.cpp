#include "session/take_recorder.h"

#include "session/session.h"

namespace reed::ui {
namespace {
constexpr int kPiece = 8192;
}

struct TakeRecorder::Recording {
    QPointer<Session> strip;
    RingReader sound;
    StreamFormat format;
    Recorded recorded;
    std::unique_ptr<SoundWriter> writer;
    std::int64_t frames = 0;

    /// What has come since; overtaken: part of it is gone.
    RingReader::Got drain(Notices& notices, bool& failed) {
        AudioBlock piece;
        auto got = RingReader::Got::nothing;
        while (!failed && (got = sound.next(kPiece, piece)) == RingReader::Got::sound) {
            if (const auto written = writer->write(piece); !written.ok()) {
                notices.tell(written.error());
                failed = true;
            }
            frames += piece.frames;
        }
        return got;
    }
};

TakeRecorder::TakeRecorder(Notices& notices) : notices_(notices) {}
TakeRecorder::~TakeRecorder() = default;

void TakeRecorder::start(const std::vector<Session*>& strips, const std::filesystem::path& folder) {
    std::error_code ec;
    std::filesystem::create_directories(folder, ec);
    for (Session* s : strips) {
        auto r = std::make_unique<Recording>();
        r->strip = s;
        r->sound = RingReader(s->seat().said());
        r->format = s->engine().format();
        r->recorded.notes = {strips.size() > 1 ? s->stripName().toStdString() : "",
                             s->stripName().toStdString(), s->devices().inputTitle().toStdString(),
                             date_now(), ""};
        r->recorded.path = folder / (".recording-" + s->strip().spec().id + ".wav");
        auto created = SoundWriter::create(r->recorded.path, r->format, SampleFormat::float32);
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
                 r->sound.follow(r->strip->seat().said()) ||
                 static_cast<double>(r->frames) > kLongestTake * r->format.sample_rate;
    }
    return !failed;
}

std::vector<TakeRecorder::Recorded> TakeRecorder::stop() {
    std::vector<Recorded> out;
    for (const auto& r : recordings_) {
        bool failed = false;
        (void)r->drain(notices_, failed);
        if (const auto finished = r->writer->finish(); !finished.ok())
            notices_.tell(finished.error());
        else if (r->frames > 0)
            out.push_back(r->recorded);
    }
    recordings_.clear();
    return out;
}

}  // namespace reed::ui
