// The installed program, moved to where it was not built.
#include <QDir>
#include <QImage>
#include <QProcess>
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
          "share/metainfo/org.duskyreed.DuskyReed.metainfo.xml"}) {
        INFO(file);
        CHECK(QFile::exists(at + "/" + file));
    }
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
