// The installed program, moved to where it was not built.
#include <QDir>
#include <QImage>
#include <QProcess>
#include <QRegularExpression>
#include <catch2/catch.hpp>
#include <filesystem>

#include "onair/program.h"

using namespace reed;
using namespace reed::test;

namespace {

Ended start(const Home& home, const QString& program, const QStringList& words) {
    QProcess p;
    p.setProcessEnvironment(home.environment(true));
    p.start(program, words);
    REQUIRE(p.waitForFinished(60'000));
    return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : 128,
            p.readAllStandardOutput().toStdString(), p.readAllStandardError().toStdString()};
}

}  // namespace

TEST_CASE("installed into an empty folder and moved, the program starts with its demo data", "[onair]") {
    const Home home;
    const QString first = home.folder.filePath("first");
    const Ended installed = start(home, REED_CMAKE, {"--install", REED_BUILD, "--prefix", first});
    INFO(installed.err);
    REQUIRE(installed.status == 0);
    const QString at = home.folder.filePath("moved here");
    REQUIRE(QDir().rename(first, at));
    for (const char* file :
         {"share/applications/dusky-reed.desktop", "share/icons/hicolor/scalable/apps/dusky-reed.svg",
          "share/metainfo/org.duskyreed.DuskyReed.metainfo.xml", "share/man/man1/dusky-reed.1.gz",
          "share/man/man1/dusky-reed-cli.1.gz", "share/bash-completion/completions/dusky-reed",
          "share/bash-completion/completions/dusky-reed-cli", "share/zsh/vendor-completions/_dusky-reed",
          "share/zsh/vendor-completions/_dusky-reed-cli", "share/fish/vendor_completions.d/dusky-reed.fish",
          "share/fish/vendor_completions.d/dusky-reed-cli.fish", "lib/systemd/user/dusky-reed-live@.service",
          "share/doc/dusky-reed/docs/guide/live.md", "share/doc/dusky-reed/LICENSE"}) {
        INFO(file);
        CHECK(QFile::exists(at + "/" + file));
    }
    // The manual page of the window has every option of --help and every action.
    const Ended page = start(home, "man", {"-l", at + "/share/man/man1/dusky-reed.1.gz"});
    const Ended help = start(home, at + "/bin/dusky-reed", {"--help"});
    const Ended actions = start(home, at + "/bin/dusky-reed", {"--actions"});
    REQUIRE(page.status == 0);
    REQUIRE(actions.status == 0);
    int named = 0;
    for (const QString& word : QString::fromStdString(help.out).split(QRegularExpression("[\\s,]+"))) {
        const auto option = QRegularExpression("^--[a-z][a-z-]+").match(word);
        if (!option.hasMatch()) continue;
        INFO(word.toStdString());
        CHECK_THAT(page.out, Catch::Contains(option.captured().toStdString()));
        ++named;
    }
    CHECK(named >= 9);
    for (const QString& line : QString::fromStdString(actions.out).split('\n', Qt::SkipEmptyParts)) {
        INFO(line.toStdString());
        CHECK_THAT(page.out,
                   Catch::Contains("       " + line.section(QRegularExpression("[ :]"), 0, 0).toStdString()));
        ++named;
    }
    CHECK(named > 60);
    // What bash offers after --send are the actions.
    const Ended offered =
        start(home, "bash",
              {"-c",
               "PATH=\"$2:$PATH\"; source \"$1\"; COMP_WORDS=(dusky-reed --send toggle-m); COMP_CWORD=2; "
               "_dusky_reed; printf '%s\\n' \"${COMPREPLY[@]}\"",
               "bash", at + "/share/bash-completion/completions/dusky-reed", at + "/bin"});
    INFO(offered.err);
    CHECK(offered.out == "toggle-mute\n");
    const Ended entry = start(home, "desktop-file-validate", {at + "/share/applications/dusky-reed.desktop"});
    INFO(entry.out);
    CHECK(entry.status == 0);
    const Ended metainfo =
        start(home, "appstreamcli",
              {"validate", "--no-net", at + "/share/metainfo/org.duskyreed.DuskyReed.metainfo.xml"});
    INFO(metainfo.out);
    CHECK(metainfo.status == 0);

    // Its scenes and sounds are those beside it: with one scene less there, one less comes up.
    QDir scenes(at + "/share/dusky-reed/demo_data/scenes");
    const QStringList files = scenes.entryList({"*.json"});
    REQUIRE(files.size() == 6);
    REQUIRE(scenes.remove(files.last()));
    const QString picture = home.folder.filePath("window.png");
    const Ended ran = start(home, at + "/bin/dusky-reed", {"--seconds", "2", "--screenshot", picture});
    INFO(ran.err);
    CHECK(ran.status == 0);
    CHECK(QImage(picture).width() >= 1024);
    CHECK(QDir(home.folder.filePath(".local/share/dusky-reed/scenes")).entryList({"*.json"}).size() == 5);
    CHECK_THAT(ran.err, !Catch::Contains("demo"));
    // Neither program knows where it was built.
    for (const char* name : {"dusky-reed", "dusky-reed-cli"}) {
        const Ended version = start(home, at + "/bin/" + name, {"--version"});
        CHECK(version.status == 0);
        CHECK_THAT(version.out, Catch::Contains(REED_VERSION));
        QFile program(at + "/bin/" + name);
        REQUIRE(program.open(QIODevice::ReadOnly));
        CHECK_FALSE(program.readAll().contains(QByteArray(REED_BUILD)));
    }
}
