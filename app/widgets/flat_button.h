// The button of the interface: flat, with an optional icon.
#pragma once

#include <QAbstractButton>
#include <optional>

namespace reed::ui {

class FlatButton final : public QAbstractButton {
    Q_OBJECT
  public:
    enum class Weight { plain, raised, alarm };  ///< alarm: filled with ember while checked

    explicit FlatButton(const QString& text, QWidget* parent = nullptr);

    /// Creates a raised button with this object name.
    static FlatButton* raised(const QString& object_name, const QString& text, QWidget* parent);

    void setIconName(const QString& name);
    void setWeight(Weight weight);
    Weight weight() const { return weight_; }
    /// A small dimmer text before the main one (a shortcut number).
    void setPrefix(const QString& prefix);
    QString prefix() const { return prefix_; }
    /// Sets the marker of a strip colour before the text (strip_marker.h); empty: none.
    void setSign(std::optional<int> colour);
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

  protected:
    void changeEvent(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void enterEvent(QEnterEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    int fixedWidth() const;
    /// Width of the text in pixels, measured once for each text.
    int textWidth() const;
    QString icon_, prefix_;
    mutable QString measured_;
    mutable int measured_width_ = -1;
    std::optional<int> sign_;
    Weight weight_ = Weight::plain;
};

}  // namespace reed::ui
