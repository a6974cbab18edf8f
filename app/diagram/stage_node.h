// A stage in the level diagram.
#pragma once

#include <QAbstractButton>

namespace reed::ui {

/// Click: select. The dot at the left, or B: bypass. Drag sideways, or Ctrl+Left/Right: move. Delete: remove.
/// F2: rename. Ctrl+C, Ctrl+V: copy, paste. H: monitor after this stage. L: level distribution before it. M:
/// switch settings A/B. The menu (menu key or right button) has all of these.
class StageNode final : public QAbstractButton {
    Q_OBJECT
  public:
    explicit StageNode(QString stage_id, QWidget* parent = nullptr);

    const QString& stageId() const { return id_; }
    void setState(const QString& title, bool bypassed, bool focused);
    /// Warning of the stage (shown as "!" on the node); empty if none.
    void setWarning(const QString& text);
    /// Marks that the headphones play the signal after this stage.
    void setHeard(bool heard);
    bool dragging() const { return dragging_; }
    void beginRename();

  signals:
    void focusWanted();
    void bypassWanted(bool bypass);
    /// Dropped with its centre at `x` of the parent.
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
    /// Left or Right without Ctrl: select the neighbour.
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
