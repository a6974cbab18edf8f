// How it looks, checked by numbers: contrast, geometry, names, calm.
#include <QLayout>
#include <catch2/catch.hpp>
#include <set>

#include "app/window.h"
#include "theme/theme.h"

using namespace reed;
using namespace reed::test;
using ui::contrastRatio;
using ui::Theme;

TEST_CASE("contrast ratios are computed as WCAG 2.2 defines them") {
    CHECK(contrastRatio(Qt::black, Qt::white) == Approx(21.0).margin(0.01));
    CHECK(contrastRatio(QColor("#777777"), Qt::white) == Approx(4.48).margin(0.01));
    CHECK(contrastRatio(Qt::red, Qt::red) == Approx(1.0));
}

TEST_CASE("text has a contrast of at least 4.5:1 in both themes") {
    for (const Theme* t : {&Theme::dusk(), &Theme::dawn()}) {
        for (const auto& [name, ink] : {std::pair{"text", t->text}, std::pair{"muted", t->muted}}) {
            for (const auto& [ground_name, ground] :
                 {std::pair{"window", t->window}, std::pair{"panel", t->panel},
                  std::pair{"raised", t->raised}, std::pair{"sunken", t->sunken},
                  std::pair{"chosen", t->chosen}}) {
                if (std::string(name) == "muted" && std::string(ground_name) == "chosen")
                    continue;  // never drawn there
                INFO(t->name.toStdString() << ": " << name << " on " << ground_name);
                CHECK(contrastRatio(ink, ground) >= 4.5);
            }
        }
        // Words in colour stand on panels; a muted button's word stands on ember.
        for (const auto& ink : {t->straw, t->room, t->ember, t->marsh, t->now}) {
            INFO(t->name.toStdString() << " " << ink.name().toStdString());
            CHECK(contrastRatio(ink, t->panel) >= 4.5);
        }
        CHECK(std::max(contrastRatio(t->window, t->ember), contrastRatio(t->panel, t->ember)) >= 4.5);
    }
}

TEST_CASE("nothing is cut off from 1024x700 to 2560x1440") {
    TemporaryFolder folder;
    Window w(folder);
    for (const QSize size : {QSize(1024, 700), QSize(1280, 800), QSize(1920, 1080), QSize(2560, 1440)}) {
        w.window.resize(size);
        for (const auto& s : w.strip().chainModel().chain().stages) {
            w.strip().chainModel().focus(s.id);
            QTest::qWait(20);
            // A text that has just changed is laid out with the next event; a slow machine may not be there
            // yet.
            QCoreApplication::sendPostedEvents();
            w.window.layout()->activate();
            for (QWidget* child : w.window.findChildren<QWidget*>()) {
                if (!child->isVisible() || child->isWindow()) continue;
                const QRect place(child->mapTo(&w.window, QPoint(0, 0)), child->size());
                INFO(size.width() << "x" << size.height() << " " << s.id << " "
                                  << child->objectName().toStdString() << " "
                                  << child->metaObject()->className());
                if (qobject_cast<ui::ThresholdHandle*>(child) == nullptr)
                    CHECK(w.window.rect().contains(place));
                if (auto* f = qobject_cast<ui::ValueField*>(child);
                    f != nullptr && f->parameter().kind == ValueKind::number) {
                    const QFontMetrics m(ui::font(14));
                    const int needed =
                        m.horizontalAdvance(f->accessibleName()) + 8 +
                        m.horizontalAdvance(QString::fromStdString(format_value(f->parameter(), f->value())));
                    CHECK(needed <= f->width() - 12);
                }
                if (auto* f = qobject_cast<ui::ValueField*>(child);
                    f != nullptr && f->parameter().kind == ValueKind::toggle) {
                    CHECK(QFontMetrics(ui::font(14)).horizontalAdvance(f->accessibleName()) <=
                          f->width() - 12 - 64);
                }
                if (auto* status = qobject_cast<ui::FlatButton*>(child);
                    status != nullptr && status->objectName() == "status") {
                    CHECK(status->width() >= status->sizeHint().width());
                }
            }
            // Neighbouring nodes and buttons do not cover each other.
            const auto& stages = w.strip().chainModel().chain().stages;
            for (size_t i = 0; i < stages.size(); ++i) {
                const QRect node = w.node(stages[i].id.c_str())->geometry();
                for (size_t a = 0; a <= stages.size(); ++a) {
                    CHECK_FALSE(
                        node.intersects(w.find<ui::FlatButton>(QString("add_%1").arg(a))->geometry()));
                }
            }
        }
    }
}

TEST_CASE("fourteen stages keep their names and do not cover each other") {
    TemporaryFolder folder;
    Window w(folder);
    for (int i = 0; i < 8; ++i)
        w.strip().chainModel().addStage(*find_stage_kind(i % 2 == 0 ? "compressor" : "suppression"), 3);
    QTest::qWait(50);
    const auto& stages = w.strip().chainModel().chain().stages;
    REQUIRE(stages.size() == 14);
    for (size_t i = 0; i < stages.size(); ++i) {
        const QRect node = w.node(stages[i].id.c_str())->geometry();
        INFO(stages[i].id);
        // Dot, name and slanted end.
        CHECK(node.width() >= 24 + QFontMetrics(ui::font(14, true)).horizontalAdvance("Suppression") + 12);
        CHECK(w.window.diagram()->rect().contains(node));
        for (size_t k = i + 1; k < stages.size(); ++k)
            CHECK_FALSE(node.intersects(w.node(stages[k].id.c_str())->geometry()));
        for (size_t a = 0; a <= stages.size(); ++a) {
            CHECK_FALSE(node.intersects(w.find<ui::FlatButton>(QString("add_%1").arg(a))->geometry()));
        }
    }
}

TEST_CASE("everything that takes the keyboard has a name for screen readers") {
    TemporaryFolder folder;
    Window w(folder);
    for (const auto& s : w.strip().chainModel().chain().stages) {
        w.strip().chainModel().focus(s.id);
        QTest::qWait(10);
        for (QWidget* child : w.window.findChildren<QWidget*>()) {
            if (!child->isVisible() || child->focusPolicy() == Qt::NoFocus || child->isWindow()) continue;
            auto* button = qobject_cast<QAbstractButton*>(child);
            INFO(child->objectName().toStdString() << " " << child->metaObject()->className());
            CHECK((!child->accessibleName().isEmpty() || (button != nullptr && !button->text().isEmpty())));
        }
    }
}

TEST_CASE("the keyboard reaches stages, thresholds and fields by Tab") {
    TemporaryFolder folder;
    Window w(folder);
    w.window.activateWindow();
    w.node("gain")->setFocus();
    std::set<QString> reached;
    for (int i = 0; i < 120; ++i) {
        if (QWidget* f = QApplication::focusWidget()) {
            reached.insert(f->objectName());
            QTest::keyClick(f, Qt::Key_Tab);
        }
    }
    for (const char* name :
         {"node_gain", "node_limiter", "add_0", "mute_button", "gain", "input_button", "lathe"}) {
        INFO(name);
        CHECK(reached.count(name) == 1);
    }
}

TEST_CASE("without a signal nothing is drawn") {
    TemporaryFolder folder;
    Window w(folder);
    write_wav(folder.path("silence.wav"), mono(silence(0.5)));
    w.setInput({DeviceKind::sound_file, folder.path("silence.wav")});
    struct Counter final : QObject {
        int paints = 0;
        bool eventFilter(QObject*, QEvent* e) override {
            paints += e->type() == QEvent::Paint ? 1 : 0;
            return false;
        }
    } counter;
    w.window.diagram()->installEventFilter(&counter);
    // Once the levels have settled at silence.
    REQUIRE(Window::until([&] {
        counter.paints = 0;
        QTest::qWait(600);
        return counter.paints == 0;
    }));
}
