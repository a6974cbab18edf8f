// A popover panel over the window.
#pragma once

#include <QGridLayout>
#include <QLineEdit>
#include <QPointer>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

#include "widgets/words.h"

namespace reed::ui {

/// A click outside closes it; closing deletes it.
class Panel : public QWidget {
    Q_OBJECT
  public:
    Panel(const QString& object_name, const QString& accessible_name, QWidget* parent);

    /// Shows it below `anchor`, inside its window. `right`: aligned to the right edge of the anchor.
    void openBelow(const QWidget& anchor, bool right = false);

  protected:
    void paintEvent(QPaintEvent* event) override;

    /// Layout of the contents.
    QVBoxLayout* column();
    /// Adds a text at the end.
    Words* addWords(Words::Ink ink, int pixels, bool bold = false, const QString& text = {});
    /// Adds a text field with a label; Enter calls `done`.
    QLineEdit* addField(const char* object_name, const QString& words, const std::function<void()>& done);
    /// Resizes the panel to its contents.
    void fitContents();
    /// Removes all widgets of a layout and deletes them when the event is done.
    static void empty(QGridLayout& list);

  private:
    void place();
    QVBoxLayout* column_ = nullptr;
    QPointer<const QWidget> anchor_;
    bool right_ = false;
};

}  // namespace reed::ui
