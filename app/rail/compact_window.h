// The compact window.
#pragma once

#include <QTimer>
#include <QWidget>
#include <vector>

#include "rail/strip_levels.h"

namespace reed::ui {

class Actions;
class FlatButton;

/// Shows the levels of the strips, a warning if there is one, mute, scene, and the active character. Can stay
/// above other windows. When it is closed the main window is shown again.
class CompactWindow final : public QWidget {
    Q_OBJECT
  public:
    explicit CompactWindow(Actions& actions);
    /// Shows it at its last position, by default at the lower right of the screen.
    void bring();
    /// Message below the strips; empty if none.
    const QString& verdict() const { return words_; }

  signals:
    /// The user wants the main window.
    void wholeWanted();
    /// The compact window was shown or hidden.
    void seenChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void follow();
    void showState();
    void openScenes();
    void setOnTop(bool on_top);
    void keep();
    QRectF placeOf(size_t strip) const;

    Actions& actions_;
    FlatButton *scene_, *character_, *mute_, *pin_, *whole_;
    QTimer keep_later_;
    struct Row {
        StripLevels levels;
        QString word;
        bool trouble = false;
        bool operator==(const Row&) const = default;
    };
    std::vector<Row> rows_;
    QString words_;
    bool warns_ = false;
};

}  // namespace reed::ui
