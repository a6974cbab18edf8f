// A small panel that opens over the window.
#pragma once

#include <QGridLayout>
#include <QLineEdit>
#include <QPointer>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

#include "widgets/words.h"

namespace reed::ui {

/// Framed, in the theme's colours; a click beside it closes it, and closed it is gone.
class Panel : public QWidget {
    Q_OBJECT
  public:
    Panel(const QString& object_name, const QString& accessible_name, QWidget* parent);

    /// Shows it below `anchor`, within the anchor's window: beside that there may be no screen. `right`: its
    /// right edge at the anchor's.
    void openBelow(const QWidget& anchor, bool right = false);

  protected:
    void paintEvent(QPaintEvent* event) override;

    /// A column for what it holds.
    QVBoxLayout* column();
    /// Words at the end of the column.
    Words* addWords(Words::Ink ink, int pixels, bool bold = false, const QString& text = {});
    /// A field to type in, under words that say what; Enter in it calls `done`.
    QLineEdit* addField(const char* object_name, const QString& words, const std::function<void()>& done);
    /// Its size is that of what it holds, also after that has changed.
    void fitContents();
    /// Takes the widgets out of a layout; they go when the event is done.
    static void empty(QGridLayout& list);

  private:
    void place();
    QVBoxLayout* column_ = nullptr;
    QPointer<const QWidget> anchor_;
    bool right_ = false;
};

}  // namespace reed::ui
