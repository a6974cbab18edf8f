// What other programs receive over D-Bus, the description of the interface, and the examples of the
// documents.
#include <QDBusArgument>
#include <QDBusMessage>
#include <QFile>
#include <QFileInfo>
#include <QMetaMethod>
#include <QMetaProperty>
#include <QProcess>
#include <QXmlStreamReader>
#include <map>

#include "onair/remote.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Another program: connects, subscribes, and counts what it is sent.
class BusListener final : public QObject {
    Q_OBJECT
  public:
    explicit BusListener(const QString& bus_name)
        : name_(bus_name), bus(QDBusConnection::connectToBus(QDBusConnection::SessionBus, bus_name)) {
        for (const char* member : {"LevelsChanged", "AdviceChanged", "MutedChanged", "SceneChanged"})
            bus.connect(ui::kServiceName, ui::kServicePath, ui::kControlInterface, member, this,
                        SLOT(on(QDBusMessage)));
        bus.connect(ui::kServiceName, ui::kServicePath, "org.freedesktop.DBus.Properties",
                    "PropertiesChanged", this, SLOT(on(QDBusMessage)));
    }
    ~BusListener() override { QDBusConnection::disconnectFromBus(name_); }
    void subscribe(bool wanted) {
        QDBusMessage call = QDBusMessage::createMethodCall(ui::kServiceName, ui::kServicePath,
                                                           ui::kControlInterface, "SubscribeLevels");
        call << wanted;
        REQUIRE(bus.call(call, QDBus::BlockWithGui).type() == QDBusMessage::ReplyMessage);
    }
    const QDBusMessage* last(const QString& member) const {
        for (auto m = got.rbegin(); m != got.rend(); ++m) {
            if (m->member() == member) return &*m;
        }
        return nullptr;
    }
    auto count(const QString& member) const {
        return std::ranges::count_if(got, [&](const QDBusMessage& m) { return m.member() == member; });
    }

  private:
    QString name_;

  public:
    QDBusConnection bus;
    std::vector<QDBusMessage> got;

  public slots:
    void on(const QDBusMessage& message) { got.push_back(message); }
};

QString contents(const QString& file) {
    QFile f(file);
    REQUIRE(f.open(QIODevice::ReadOnly));
    return QString::fromUtf8(f.readAll());
}

}  // namespace

TEST_CASE(
    "the description of the D-Bus interface has every method, signal and property, with a sentence each",
    "[onair]") {
    // What Qt exports is in the file, with the same names and types of arguments, and nothing else is.
    QXmlStreamReader xml(contents(REED_CONTROL_XML));
    std::map<QString, QString> described, exported;
    QString member, sentence;
    while (!xml.atEnd()) {
        const auto token = xml.readNext();
        const QString tag = xml.name().toString(), name = xml.attributes().value("name").toString();
        if (token == QXmlStreamReader::StartElement) {
            if (tag == "method" || tag == "signal" || tag == "property") {
                member = tag + ' ' + name;
                sentence.clear();
            }
            if (tag == "property") described[member] = xml.attributes().value("type").toString();
            if (tag == "method" || tag == "signal") described[member];
            if (tag == "arg")
                described[member] +=
                    QString(xml.attributes().value("direction") == QString("out") ? ">" : "") +
                    xml.attributes().value("type").toString();
            if (name == "org.gtk.GDBus.DocString") sentence = xml.attributes().value("value").toString();
        } else if (token == QXmlStreamReader::EndElement &&
                   (tag == "method" || tag == "signal" || tag == "property")) {
            INFO(member.toStdString());
            CHECK(sentence.size() > 20);
        }
    }
    REQUIRE_FALSE(xml.hasError());
    const std::map<QString, QString> signatures = {
        {"bool", "b"}, {"QString", "s"}, {"QStringList", "as"}, {"QList<reed::ui::StripAdvice>", "a(ss)"}};
    const QMetaObject& meta = ui::RemoteControl::staticMetaObject;
    for (int i = meta.methodOffset(); i < meta.methodCount(); ++i) {
        const QMetaMethod m = meta.method(i);
        if ((m.attributes() & QMetaMethod::Scriptable) == 0) continue;
        QString types;
        for (const QByteArray& t : m.parameterTypes()) types += signatures.at(t);
        if (m.returnType() != QMetaType::Void) types += '>' + signatures.at(m.typeName());
        exported[(m.methodType() == QMetaMethod::Signal ? "signal " : "method ") + QString(m.name())] = types;
    }
    for (int i = meta.propertyOffset(); i < meta.propertyCount(); ++i)
        exported["property " + QString(meta.property(i).name())] = signatures.at(meta.property(i).typeName());
    // Sent to subscribers only, so it is no signal of the class.
    exported["signal LevelsChanged"] = "a(sdddd)dd";
    CHECK(described == exported);
    // And that is what the bus says.
    TemporaryFolder folder;
    const Remote w(folder);
    QDBusMessage ask = QDBusMessage::createMethodCall(ui::kServiceName, ui::kServicePath,
                                                      "org.freedesktop.DBus.Introspectable", "Introspect");
    const QString said =
        QDBusConnection::sessionBus().call(ask, QDBus::BlockWithGui).arguments().value(0).toString();
    CHECK(said.contains(contents(REED_CONTROL_XML).trimmed()));
}

TEST_CASE("programs on the bus receive mute, scene, advice, and levels if they subscribe", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    BusListener plain("plain");
    {
        BusListener meters("meters");
        meters.subscribe(true);
        REQUIRE(Window::until([&] { return meters.count("LevelsChanged") >= 5; }));
        const QDBusMessage& levels = *meters.last("LevelsChanged");
        CHECK(levels.signature() == "a(sdddd)dd");
        const auto list = levels.arguments()[0].value<QDBusArgument>();
        list.beginArray();
        list.beginStructure();
        QString strip;
        double input_peak = 0.0, input_rms = 0.0, output_peak = 0.0, output_rms = 0.0;
        list >> strip >> input_peak >> input_rms >> output_peak >> output_rms;
        CHECK(strip == "voice");
        for (const double level : {input_peak, input_rms, output_peak, output_rms}) {
            CHECK(level >= -120.0);
            CHECK(level < 20.0);
        }
        CHECK(input_peak >= input_rms - 3.02);  // RMS of a sine is its peak
        CHECK(plain.count("LevelsChanged") == 0);
        meters.subscribe(false);
        meters.got.clear();
        CHECK(send({"mute"}) == "");
        REQUIRE(Window::until([&] { return plain.last("MutedChanged") != nullptr; }));
        CHECK(plain.last("MutedChanged")->arguments() == QVariantList{true});
        CHECK(meters.count("LevelsChanged") <= 1);  // one may have been on its way
        meters.subscribe(true);
        REQUIRE(Window::until([&] { return meters.count("LevelsChanged") >= 2; }));
    }
    // It has left the bus without a word: nothing is measured for it any more.
    int measured = 0;
    CHECK(send({"strip", "1"}) == "");  // its leaving has been told by then
    QObject::connect(&w.reporter, &ui::StateReporter::levels, [&] { ++measured; });
    CHECK(send({"scene", "Evening quiet"}) == "");
    REQUIRE(Window::until([&] { return plain.last("SceneChanged") != nullptr; }));
    CHECK(plain.last("SceneChanged")->arguments() == QVariantList{"Evening quiet"});
    int ticks = 0;  // 30 a second
    QObject::connect(&w.app.mixer(), &ui::MixerModel::ticked, [&] { ++ticks; });
    REQUIRE(Window::until([&] { return ticks >= 10; }));
    CHECK(measured == 0);
    // Properties, as every program expects them.
    REQUIRE(Window::until([&] { return plain.count("PropertiesChanged") >= 2; }));
    CHECK(plain.last("PropertiesChanged")->arguments()[0] == ui::kControlInterface);
    // A problem that the window shows, and its end.
    w.strip().chainModel().moveStage("limiter", 0);
    const auto told = [&] {
        QString out;
        const QDBusMessage* last = plain.last("AdviceChanged");
        if (last == nullptr || last->signature() != "a(ss)") return out;
        const auto list = last->arguments()[0].value<QDBusArgument>();
        for (list.beginArray(); !list.atEnd();) {
            QString id, text;
            list.beginStructure();
            list >> id >> text;
            list.endStructure();
            out += id + ": " + text + '\n';
        }
        return out;
    };
    REQUIRE(Window::until([&] { return told().contains("voice: The limiter isn't last"); }));
    w.app.history().undo();
    REQUIRE(Window::until([&] { return w.reporter.advice().isEmpty(); }));
    CHECK(Window::until([&] { return told().isEmpty(); }));
}

TEST_CASE("the examples of the documents do what they say", "[onair]") {
    TemporaryFolder folder;
    Remote w(folder);
    auto environment = QProcessEnvironment::systemEnvironment();
    environment.insert("PATH", QFileInfo(REED_PROGRAM).path() + ':' + environment.value("PATH"));
    QProcess streaming;  // a streaming app whose scenes change
    streaming.setProcessEnvironment(environment);
    streaming.start(REED_EXAMPLES "/follow-scene.sh", QStringList());
    streaming.write("Starting soon\nEvening quiet\n");
    REQUIRE(Window::until([&] { return w.app.mixer().name() == "Evening quiet"; }));
    streaming.write("Bench talk\n");
    REQUIRE(Window::until([&] { return w.app.mixer().name() == "Bench talk"; }));
    streaming.closeWriteChannel();
    REQUIRE(Window::until([&] { return streaming.state() == QProcess::NotRunning; }));
    CHECK(streaming.exitStatus() == QProcess::NormalExit);
    CHECK(streaming.readAllStandardError().contains("Starting soon"));

    QProcess levels;
    levels.start(REED_EXAMPLES "/levels.py", QStringList());
    QByteArray said;
    const auto says = [&](const char* words) {
        return Window::until([&] {
            said += levels.readAllStandardOutput();
            return said.contains(words);
        });
    };
    REQUIRE(says("LUFS"));
    CHECK(said.contains("voice"));
    w.app.mute().set(true);
    CHECK(says("MutedChanged True"));
    levels.terminate();
    REQUIRE(Window::until([&] { return levels.state() == QProcess::NotRunning; }));
}

#include "bus_test.moc"
