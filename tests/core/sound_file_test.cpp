#include <catch2/catch.hpp>
#include <filesystem>

#include "base/file.h"
#include "base/sound_file.h"
#include "measure/file_measure.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

size_t files_in(const std::string& folder) {
    size_t n = 0;
    for ([[maybe_unused]] const auto& e : std::filesystem::directory_iterator(folder)) ++n;
    return n;
}

}  // namespace

TEST_CASE("what is written is read back, in every format and layout", "[sound]") {
    const TemporaryFolder folder;
    struct Case {
        const char* name;
        SampleFormat samples;
        double tolerance;
    };
    for (const Case& c :
         {Case{"a.wav", SampleFormat::float32, 0.0}, Case{"b.wav", SampleFormat::pcm24, 1.2e-7},
          Case{"c.flac", SampleFormat::float32, 1.2e-7}, Case{"D.WAV", SampleFormat::float32, 0.0}}) {
        for (const int channels : {1, 2}) {
            AudioBuffer sound(channels, 5000);
            for (int ch = 0; ch < channels; ++ch)
                sound[ch] = sine(300.0 + 100.0 * ch, 0.5, 5000.0 / 96000.0, 96000);
            auto writer = SoundWriter::create(folder.path(c.name), {96000, channels}, c.samples);
            REQUIRE(writer.ok());
            for (size_t at = 0; at < 5000; at += 1000)
                REQUIRE(writer.value()->write(sound.block(at, 1000)).ok());
            REQUIRE(writer.value()->finish().ok());
            SoundInfo info;
            const auto back = read_sound(folder.path(c.name), &info);
            REQUIRE(back.ok());
            CHECK(info.sample_rate == 96000);
            CHECK(info.channels == channels);
            CHECK(info.frames == 5000);
            for (int ch = 0; ch < channels; ++ch)
                CHECK(largest_difference(back.value()[ch], sound[ch]) <= c.tolerance);
        }
    }
}

TEST_CASE("a writer that is not finished leaves nothing, one that is leaves one file", "[sound]") {
    const TemporaryFolder folder;
    AudioBuffer sound = mono(sine(300, 0.5, 0.1));
    {
        auto writer = SoundWriter::create(folder.path("x.wav"), {48000, 1}, SampleFormat::float32);
        REQUIRE(writer.ok());
        REQUIRE(writer.value()->write(sound.block(0, 4800)).ok());
        CHECK_FALSE(std::filesystem::exists(folder.path("x.wav")));
    }
    CHECK(files_in(folder.folder()) == 0);
    write_wav(folder.path("x.wav"), sound);
    CHECK(files_in(folder.folder()) == 1);
    // Over an existing file: the old one stays until the new one is whole.
    {
        auto writer = SoundWriter::create(folder.path("x.wav"), {48000, 1}, SampleFormat::float32);
        REQUIRE(writer.ok());
    }
    CHECK(read_sound(folder.path("x.wav")).ok());
}

TEST_CASE("samples beyond full scale are counted where the format can't hold them", "[sound]") {
    const TemporaryFolder folder;
    AudioBuffer loud = mono(std::vector<float>{0.5f, 1.5f, -2.0f, 0.25f});
    for (const auto& [name, samples, clipped] :
         {std::tuple{"a.wav", SampleFormat::float32, 0}, std::tuple{"b.wav", SampleFormat::pcm24, 2},
          std::tuple{"c.flac", SampleFormat::pcm24, 2}}) {
        auto writer = SoundWriter::create(folder.path(name), {48000, 1}, samples);
        REQUIRE(writer.ok());
        REQUIRE(writer.value()->write(loud.block(0, 4)).ok());
        CHECK(writer.value()->clipped() == clipped);
        REQUIRE(writer.value()->finish().ok());
        const auto back = read_sound(folder.path(name));
        REQUIRE(back.ok());
        const float second = back.value()[0][1];
        CHECK(second == Approx(clipped > 0 ? 1.0f : 1.5f).margin(1e-6));
        CHECK(back.value()[0][2] <= -0.99f);
    }
}

TEST_CASE("a file that was cut off is told from one that is whole", "[sound]") {
    const TemporaryFolder folder;
    write_wav(folder.path("whole.wav"), mono(noise(0.1, 1.0, 1)));
    const std::string bytes = read_file(folder.path("whole.wav"), 10'000'000).value();
    for (const double share : {0.9, 0.5, 0.1}) {
        REQUIRE(write_file(folder.path("cut.wav"),
                           bytes.substr(0, static_cast<size_t>(share * static_cast<double>(bytes.size()))))
                    .ok());
        const auto cut = read_sound(folder.path("cut.wav"));
        REQUIRE_FALSE(cut.ok());
        CHECK_THAT(cut.error().text(), Catch::Contains("is truncated"));
    }
    // A length that was not known when the header was written (sound through a pipe) is no damage.
    std::string piped = bytes;
    for (size_t i = 4; i < 8; ++i) piped[i] = '\xff';
    REQUIRE(write_file(folder.path("piped.wav"), piped).ok());
    CHECK(read_sound(folder.path("piped.wav")).ok());
    // A limit on the length is kept.
    CHECK_THAT(read_sound(folder.path("whole.wav"), nullptr, 1000).error().text(),
               Catch::Contains("too long"));
}

TEST_CASE("clipping is counted over the borders of blocks", "[sound]") {
    ClipCounter whole;
    ClipCounter pieces;
    std::vector<float> x(1000, 0.1f);
    for (size_t i = 100; i < 107; ++i) x[i] = 1.0f;
    for (size_t i = 255; i < 260; ++i) x[i] = -1.0f;
    x[500] = 1.0f;
    std::int64_t a = whole.add(x.data(), 1000);
    std::int64_t b = 0;
    for (size_t i = 0; i < 1000; i += 4) b += pieces.add(&x[i], 4);
    CHECK(a == 12);
    CHECK(b == 12);
}

TEST_CASE("Debian's spoken words are what the other tests take them for", "[sound]") {
    SoundInfo info;
    const auto word = read_sound("/usr/share/sounds/alsa/Front_Center.wav", &info);
    REQUIRE(word.ok());
    CHECK(info.sample_rate == 48000);
    CHECK(info.channels == 1);
    CHECK(word.value().frames() > 48000);
    CHECK(db(peak(word.value()[0])) > -12.0);
}

TEST_CASE("what grows can be read at any moment, and is written over nothing", "[files]") {
    const TemporaryFolder folder;
    const std::string path = folder.path("grows.wav");
    const auto x = noise(0.4, 2.0, 3);
    AudioBuffer sound = stereo(x, x);
    {
        auto writer = SoundWriter::grow(path, {96000, 2}, {"Title", "Device", "Strip", "2026-11-27", ""});
        REQUIRE(writer.ok());
        for (int done = 0; done < 90000; done += 30000) {
            REQUIRE(writer.value()->write(sound.block(static_cast<size_t>(done), 30000)).ok());
            SoundInfo info;
            const auto until_now = read_sound(path, &info);
            REQUIRE(until_now.ok());
            CHECK(info.sample_rate == 96000);
            CHECK(until_now.value().frames() == static_cast<size_t>(done) + 30000);
        }
        CHECK(SoundWriter::grows(path));
        // No finish(): as if the program had been ended.
    }
    CHECK_FALSE(SoundWriter::grows(path));
    const auto read = read_sound(path);
    REQUIRE(read.ok());
    REQUIRE(read.value().frames() == 90000);
    CHECK(std::equal(read.value()[1].begin(), read.value()[1].end(), x.begin()));
    CHECK(SoundReader::open(path).value()->tags().artist == "Device");
    const auto again = SoundWriter::grow(path, {48000, 1});
    REQUIRE_FALSE(again.ok());
    CHECK_THAT(again.error().text(), Catch::Contains("grows.wav"));
    CHECK(read_sound(path).value().frames() == 90000);
    CHECK_FALSE(SoundWriter::grow(folder.path("nowhere/x.wav"), {48000, 1}).ok());
}
