// The window for who has something else on the screen.
#pragma once

#include <QTimer>
#include <QWidget>
#include <vector>

#include "rail/strip_levels.h"

namespace reed::ui {

class Actions;
class FlatButton;

/// Levels of the strips, the verdict when there is one, mute, scene, and the character while one is on; stays
/// before all other windows on wish. The whole window comes back when it is closed.
class CompactWindow final : public QWidget {
    Q_OBJECT
  public:
    explicit CompactWindow(Actions& actions);
    /// Where it was last, or at the right lower edge of the screen.
    void bring();
    /// What it says below the strips; empty: nothing.
    const QString& verdict() const { return words_; }

  signals:
    /// The whole window is wanted again.
    void wholeWanted();
    /// It can be seen, or no longer.
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
