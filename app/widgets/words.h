// A label in one of the theme's inks, whatever theme comes.
#pragma once

#include <QLabel>

#include "stages/finding.h"

namespace reed::ui {

class Words final : public QLabel {
    Q_OBJECT
  public:
    enum class Ink { text, muted, good, warning };

    explicit Words(Ink ink, QWidget* parent = nullptr) : QLabel(parent), ink_(ink) {
        setTextFormat(Qt::PlainText);
    }
    /// In as many lines as it needs.
    static Words* wrapped(Ink ink, int pixels, bool bold, QWidget* parent, const QString& text = {});
    void setInk(Ink ink);
    /// What a finding says, in the ink of its tone.
    void show(const Finding& finding);
    /// The same with other words.
    void show(FindingTone tone, const QString& words);

    /// A finding, or what its proposal does, in the person's language.
    static QString of(const Finding& finding);
    static QString of(const Proposal& proposal);
    /// Words of a kind, literals, with their figures put in.
    static QString spelt(std::string_view words, std::span<const Quantity> quantities);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Ink ink_;
};

}  // namespace reed::ui
