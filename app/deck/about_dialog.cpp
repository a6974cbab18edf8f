#include "deck/about_dialog.h"

#include <QApplication>
#include <QClipboard>
#include <QFile>
#include <QFileInfo>
#include <QIcon>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPainter>
#include <QScreen>
#include <QScrollArea>
#include <QSysInfo>
#include <QVBoxLayout>

#include "model/app_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kIcon = 64, kListHeight = 300;  // px

/// The icon of the program.
class ProgramIcon final : public QWidget {
  public:
    explicit ProgramIcon(QWidget* parent) : QWidget(parent), icon_(":/icons/dusky-reed.svg") {
        setFixedSize(kIcon, kIcon);
        setAccessibleName(QObject::tr("Icon of Dusky Reed"));
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        icon_.paint(&painter, rect());
    }

  private:
    QIcon icon_;
};

std::vector<Component> readComponents() {
    QFile file(":/about/components.json");
    std::vector<Component> out;
    if (!file.open(QIODevice::ReadOnly)) return out;
    const QJsonArray all = QJsonDocument::fromJson(file.readAll()).object()["components"].toArray();
    out.reserve(static_cast<size_t>(all.size()));
    for (const QJsonValue value : all) {
        const QJsonObject c = value.toObject();
        out.push_back({c["name"].toString(), c["what"].toString(), c["licence"].toString(),
                       c["copyright"].toString(), c["built_in"].toBool()});
    }
    return out;
}

/// Where the package puts the full texts; empty if they are not installed.
QString licenceTexts() {
    const QString at = QCoreApplication::applicationDirPath() + "/../share/doc/dusky-reed/copyright";
    return QFile::exists(at) ? QFileInfo(at).canonicalFilePath() : QString();
}

QString kindsOf(const ChainSpec& chain) {
    QStringList out;
    for (const StageSpec& s : chain.stages)
        out << QString::fromStdString(s.kind) + (s.bypass ? QStringLiteral(" (bypassed)") : QString());
    return out.isEmpty() ? QStringLiteral("no stages") : out.join(", ");
}

}  // namespace

const std::vector<Component>& components() {
    static const std::vector<Component> all = readComponents();
    return all;
}

QString reportDetails(AppModel& app) {
    const StripModel& main = app.mixer().main();
    const AudioSystem& audio = main.audio();
    const QScreen* screen = QGuiApplication::primaryScreen();
    QStringList out;
    out << "Dusky Reed " + QCoreApplication::applicationVersion();
    out << "System: " + QSysInfo::prettyProductName() + ", kernel " + QSysInfo::kernelVersion() + ", " +
               QSysInfo::currentCpuArchitecture();
    out << QString("Qt %1, platform %2").arg(qVersion(), QGuiApplication::platformName());
    if (screen != nullptr) {
        out << QString("Screen: %1 x %2, scale %3")
                   .arg(screen->size().width())
                   .arg(screen->size().height())
                   .arg(screen->devicePixelRatio());
    }
    out << "Theme: " + theme().name;
    const StreamFormat& format = app.context().live.format();
    out << QString("Sound: %1 Hz, buffer %2 frames, virtual microphone with %3 channels")
               .arg(format.sample_rate)
               .arg(audio.settings().block)
               .arg(audio.settings().channels);
    out << QString("PipeWire: %1").arg(audio.snapshot().connected ? "connected" : "not connected");
    int number = 0;
    for (const StripModel* strip : app.mixer().strips()) {
        const auto input = strip->input().status();
        out << QString("Strip %1: %2; %3 dropouts")
                   .arg(++number)
                   .arg(kindsOf(strip->chainModel().chain()))
                   .arg(input.dropouts);
    }
    return out.join('\n') + '\n';
}

AboutDialog::AboutDialog(AppModel& app, QWidget* parent) : QDialog(parent), app_(app) {
    setObjectName("about_dialog");
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("About - Dusky Reed"));
    setFixedWidth(620);
    auto* icon = new ProgramIcon(this);
    auto* name = Words::wrapped(Words::Ink::text, 20, true, this, tr("Dusky Reed"));
    auto* version = Words::wrapped(Words::Ink::muted, 14, false, this,
                                   tr("Version %1").arg(QCoreApplication::applicationVersion()));
    version->setObjectName("about_version");
    version->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* beside = new QVBoxLayout;
    beside->setSpacing(2);
    beside->addWidget(name);
    beside->addWidget(version);
    auto* head = new QHBoxLayout;
    head->setSpacing(14);
    head->addWidget(icon);
    head->addLayout(beside, 1);
    auto* terms = Words::wrapped(
        Words::Ink::text, 14, false, this,
        tr("Real-time microphone filters for live streaming. Free software under the GNU General Public "
           "License, "
           "version 3 or later: you may use, change and share it. It comes without any warranty."));
    auto* heading = Words::wrapped(Words::Ink::text, 15, true, this, tr("What it contains and uses"));
    const QString texts = licenceTexts();
    auto* where = Words::wrapped(Words::Ink::muted, 13, false, this, tr("Full texts: %1").arg(texts));
    where->setVisible(!texts.isEmpty());
    copied_ =
        Words::wrapped(Words::Ink::muted, 13, false, this,
                       tr("The details are versions, sound settings and kinds of stages. They hold no names "
                          "and no paths."));
    copied_->setObjectName("about_copied");
    auto* copy = FlatButton::raised("about_copy", tr("Copy details for a report"), this);
    connect(copy, &FlatButton::clicked, this, [this] {
        QGuiApplication::clipboard()->setText(reportDetails(app_));
        copied_->setInk(Words::Ink::good);
        copied_->setText(tr("Copied. The details hold no names and no paths."));
    });
    auto* close = FlatButton::raised("about_close", tr("Close"), this);
    connect(close, &FlatButton::clicked, this, &QDialog::accept);
    auto* foot = new QHBoxLayout;
    foot->addWidget(copy);
    foot->addStretch(1);
    foot->addWidget(close);
    QVBoxLayout* all = columnOfDialog(this);
    all->addLayout(head);
    all->addWidget(terms);
    all->addWidget(heading);
    all->addWidget(componentList());
    all->addWidget(where);
    all->addWidget(copied_);
    all->addLayout(foot);
    close->setFocus();
}

void AboutDialog::open(AppModel& app, QWidget* window) {
    if (auto* other = window->findChild<AboutDialog*>()) return other->raise();
    (new AboutDialog(app, window))->show();
}

QWidget* AboutDialog::componentList() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(10, 8, 10, 8);
    column->setSpacing(1);
    for (const Component& c : components()) {
        column->addWidget(
            Words::wrapped(Words::Ink::text, 14, true, page, tr("%1: %2").arg(c.name, c.licence)));
        column->addWidget(
            Words::wrapped(Words::Ink::muted, 13, false, page,
                           c.built_in ? tr("%1. Built in.").arg(c.what) : tr("%1.").arg(c.what)));
        column->addWidget(
            Words::wrapped(Words::Ink::muted, 13, false, page, tr("Copyright %1").arg(c.copyright)));
        column->addSpacing(8);
    }
    column->addStretch(1);
    auto* scroll = new QScrollArea(this);
    scroll->setObjectName("about_components");
    scroll->setAccessibleName(tr("What it contains and uses"));
    scroll->setWidget(page);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFixedHeight(kListHeight);
    return scroll;
}

}  // namespace reed::ui
