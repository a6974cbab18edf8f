// A label in a colour of the theme, also after the theme changes.
#pragma once

#include <QLabel>

#include "stages/finding.h"

namespace reed::ui {

/// `text` if it fits into `width` pixels; else as many of its words as fit, and an ellipsis. A first word
/// that is too long is cut.
QString elidedByWords(const QFontMetrics& metrics, const QString& text, int width);
/// `text` if it fits into `width` pixels; else its first sentences that do, without an ellipsis. If not even
/// one does, as elidedByWords().
QString elidedBySentences(const QFontMetrics& metrics, const QString& text, int width);

class Words final : public QLabel {
    Q_OBJECT
  public:
    enum class Ink { text, muted, good, warning };

    explicit Words(Ink ink, QWidget* parent = nullptr) : QLabel(parent), ink_(ink) {
        setTextFormat(Qt::PlainText);
    }
    /// Wraps into as many lines as needed.
    static Words* wrapped(Ink ink, int pixels, bool bold, QWidget* parent, const QString& text = {});
    void setInk(Ink ink);
    /// Shows the message of a finding in the colour of its tone.
    void show(const Finding& finding);
    /// Shows a text in the colour of a tone.
    void show(FindingTone tone, const QString& words);

    /// Message of a finding or of its proposal, translated.
    static QString of(const Finding& finding);
    static QString of(const Proposal& proposal);
    /// Translates a message of the core and inserts its quantities.
    static QString spelt(std::string_view words, std::span<const Quantity> quantities);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Ink ink_;
};

}  // namespace reed::ui
