#include "mixer/mixer_render.h"

#include <algorithm>
#include <cctype>

#include "base/sound_file.h"

namespace reed {
namespace {

/// A strip's sound in, and what it gives out.
struct Lane {
    std::unique_ptr<SoundReader> reader;  // none: silence
    std::unique_ptr<SoundWriter> writer;
    AudioBuffer buffer;
    std::int64_t skip = 0;  // frames of delay still to be left out
    bool ended = false;
};

std::string file_name(const std::string& id, std::vector<std::string>& taken) {
    std::string stem;
    for (const char c : id) stem += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' ? c : '-';
    std::string out = stem;
    for (int n = 2; std::ranges::find(taken, out) != taken.end(); ++n) out = stem + "-" + std::to_string(n);
    taken.push_back(out);
    return out + ".wav";
}

Result<void> write_rest(Lane& lane, const AudioBlock& block, std::int64_t& left) {
    const auto dropped = std::min<std::int64_t>(lane.skip, block.frames);
    lane.skip -= dropped;
    const auto n = std::min<std::int64_t>(block.frames - dropped, left);
    left -= n;
    return lane.writer->write(block.slice(static_cast<int>(dropped), static_cast<int>(n)));
}

class Rendering {
  public:
    Rendering(const MixerSpec& spec, const DeskRender& options) : spec_(spec), options_(options) {}

    Result<DeskReport> run(const Progress& progress) {
        if (auto opened = open(); !opened.ok()) return opened.error();
        std::vector<std::int64_t> left(lanes_.size(), report_.frames);
        bool first = true;
        const auto all_written = [&] { return std::ranges::all_of(left, [](auto n) { return n == 0; }); };
        while (!all_written()) {
            if (auto read = read_block(); !read.ok()) return read.error();
            desk_.process({blocks_.data(), spec_.strips.size()}, blocks_.back());
            if (first) note_delays();
            first = false;
            for (size_t i = 0; i < lanes_.size(); ++i) {
                if (auto written = write_rest(lanes_[i], blocks_[i], left[i]); !written.ok())
                    return written.error();
            }
            const double done = 1.0 - static_cast<double>(left.back()) / static_cast<double>(report_.frames);
            if (progress && !progress(done)) return cancelled(options_.folder.string());
        }
        for (Lane& lane : lanes_) {
            if (lane.reader) {
                if (auto whole = lane.reader->complete(); !whole.ok()) return whole.error();
            }
        }
        for (Lane& lane : lanes_) {
            if (auto finished = lane.writer->finish(); !finished.ok()) return finished.error();
            report_.clipped += lane.writer->clipped();
        }
        for (const auto& s : desk_.strips()) report_.faults += s->engine().chain().faults();
        return report_;
    }

  private:
    Result<void> open() {
        for (const auto& [id, path] : options_.in) {
            if (spec_.index_of(id) < 0)
                return Error{"is not a strip of this scene.", id, "It has " + names() + "."};
        }
        StreamFormat format{0.0, 1};
        std::vector<StreamFormat> formats;
        for (const StripSpec& s : spec_.strips) {
            Lane& lane = lanes_.emplace_back();
            int channels = s.role == StripRole::voice ? 1 : 2;
            if (const auto found = options_.in.find(s.id); found != options_.in.end()) {
                auto opened = SoundReader::open(found->second);
                if (!opened.ok()) return opened.error();
                lane.reader = std::move(opened.value());
                const SoundInfo info = lane.reader->info();
                if (format.sample_rate != 0.0 && info.sample_rate != format.sample_rate) {
                    return Error{"has a different sample rate than the other files.", found->second.string(),
                                 "Convert all of them to 48000 Hz first."};
                }
                format.sample_rate = info.sample_rate;
                channels = info.channels;
                report_.frames = std::max(report_.frames, info.frames);
                if (auto fits = Chain::build({}, {info.sample_rate, channels}); !fits.ok())
                    return Error{fits.error().what, found->second.string(), fits.error().remedy};
            }
            if (s.role == StripRole::voice) format.channels = std::max(format.channels, channels);
            formats.push_back({0.0, channels});
        }
        if (report_.frames == 0) return Error{"There is no audio to render.", "", "Name a file for a strip."};
        for (auto& f : formats) f.sample_rate = format.sample_rate;
        if (auto opened = desk_.open(format); !opened.ok()) return opened;
        if (auto ready = set_up(desk_, spec_, formats, builder_); !ready.ok()) return ready;
        formats.push_back(format);
        lanes_.emplace_back();
        return open_files(formats);
    }

    Result<void> open_files(const std::vector<StreamFormat>& formats) {
        std::error_code ec;
        std::filesystem::create_directories(options_.folder, ec);
        if (!std::filesystem::is_directory(options_.folder)) {
            return Error{"isn't a folder and can't be created.", options_.folder.string(),
                         "Choose another one."};
        }
        std::vector<std::string> taken{"sum"};
        for (size_t i = 0; i < lanes_.size(); ++i) {
            const bool strip = i < spec_.strips.size();
            const auto path =
                options_.folder / (strip ? file_name(spec_.strips[i].id, taken) : std::string("sum.wav"));
            for (const auto& [id, in] : options_.in) {
                if (std::filesystem::equivalent(in, path, ec))
                    return Error{"is an input file and would be overwritten.", path.string(),
                                 "Choose another folder."};
            }
            auto made = SoundWriter::create(path, formats[i],
                                            options_.pcm24 ? SampleFormat::pcm24 : SampleFormat::float32);
            if (!made.ok()) return made.error();
            lanes_[i].writer = std::move(made.value());
            lanes_[i].buffer = AudioBuffer(formats[i].channels, static_cast<size_t>(options_.block));
            blocks_.push_back(lanes_[i].buffer.block(0, options_.block));
            (strip ? report_.out[spec_.strips[i].id] : report_.sum) = path;
        }
        return {};
    }

    Result<void> read_block() {
        for (Lane& lane : lanes_) {
            lane.buffer.clear();
            if (!lane.reader || lane.ended) continue;
            const size_t n = lane.reader->read(lane.buffer);
            lane.ended = n < lane.buffer.frames();
            for (int c = 0; c < lane.buffer.channels(); ++c)
                std::fill(lane.buffer[c].begin() + static_cast<std::ptrdiff_t>(n), lane.buffer[c].end(),
                          0.0f);
        }
        return {};
    }

    void note_delays() {
        const auto strips = desk_.strips();
        for (size_t i = 0; i < strips.size(); ++i) {
            const bool voice = strips[i]->role() == StripRole::voice;
            lanes_[i].skip = voice ? desk_.voices_latency() : strips[i]->latency();
        }
        lanes_.back().skip = report_.latency = desk_.latency();
    }

    std::string names() const {
        std::string out;
        for (const StripSpec& s : spec_.strips) out += (out.empty() ? "" : ", ") + s.id;
        return out;
    }

    const MixerSpec& spec_;
    const DeskRender& options_;
    DeskReport report_;
    std::shared_ptr<ChainBuilder> builder_ = std::make_shared<ChainBuilder>();
    Mixer desk_;
    std::vector<Lane> lanes_;  // the last is the sum's
    std::vector<AudioBlock> blocks_;
};

}  // namespace

Result<void> set_up(Mixer& desk, const MixerSpec& spec, const std::vector<StreamFormat>& formats,
                    const std::shared_ptr<ChainBuilder>& builder) {
    if (const auto problems = mixer_problems(spec); !problems.empty()) return problems.front();
    std::vector<std::shared_ptr<Strip>> strips;
    for (size_t i = 0; i < spec.strips.size(); ++i) {
        const StripSpec& s = spec.strips[i];
        auto strip = std::make_shared<Strip>(s.id, s.role, builder);
        strip->engine().set_fader(s.fader);
        strip->engine().set_mute(s.mute);
        auto prepared = Engine::prepare(formats[i], s.chain);
        if (!prepared.ok()) return prepared.error();
        strip->open(std::move(prepared.value()));
        strips.push_back(std::move(strip));
    }
    desk.arrange(strips, processing_order(spec));
    return {};
}

Result<DeskReport> render_desk(const MixerSpec& desk, const DeskRender& options, const Progress& progress) {
    return Rendering(desk, options).run(progress);
}

}  // namespace reed
