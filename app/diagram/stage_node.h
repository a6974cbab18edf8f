// A stage on the signal's path: focus, bypass, move, menu.
#pragma once

#include <QAbstractButton>

namespace reed::ui {

/// Click focuses the stage; the dot at its left (or B) switches it; dragging sideways moves it;
/// Ctrl+Left/Right move it by keys; Delete removes it; F2 renames it; Ctrl+C and Ctrl+V copy and paste; H
/// hears up to here; L shows the levels before it; M flips its memories. The menu key or right button has
/// all.
class StageNode final : public QAbstractButton {
    Q_OBJECT
  public:
    explicit StageNode(QString stage_id, QWidget* parent = nullptr);

    const QString& stageId() const { return id_; }
    void setState(const QString& title, bool bypassed, bool focused);
    /// A remark worth a look ("!" on the node), or empty.
    void setWarning(const QString& text);
    /// The headphones hear the sound as it leaves this stage.
    void setHeard(bool heard);
    bool dragging() const { return dragging_; }
    void beginRename();

  signals:
    void focusWanted();
    void bypassWanted(bool bypass);
    /// Dropped with its middle at `x` of the parent.
    void dropped(int x);
    void dragged(int x);
    void moveWanted(int steps);
    void removeWanted();
    void duplicateWanted();
    void renameWanted(const QString& title);
    void copyWanted();
    void pasteWanted();
    void monitorRequested();
    void levelsWanted();
    void toggleAbRequested();
    void resetWanted();
    /// Left/Right without Ctrl: focus the neighbour.
    void neighbourWanted(int step);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    QRectF dot() const;
    void describe();
    QString id_, title_, warning_;
    bool bypassed_ = false, focused_ = false, heard_ = false, dragging_ = false, pressed_ = false;
    QPoint press_;
};

}  // namespace reed::ui
