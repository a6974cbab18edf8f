// A label in one of the theme's inks, whatever theme comes.
#pragma once

#include <QLabel>

#include "measure/advice.h"

namespace reed::ui {

class Words final : public QLabel {
    Q_OBJECT
  public:
    enum class Ink { text, muted, good, warning };

    explicit Words(Ink ink, QWidget* parent = nullptr) : QLabel(parent), ink_(ink) {}
    void setInk(Ink ink);
    /// Text and ink of an advice.
    void show(const Advice& advice);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Ink ink_;
};

}  // namespace reed::ui
