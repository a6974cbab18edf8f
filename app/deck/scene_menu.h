// The scene menu.
#pragma once

#include <QMenu>
#include <QStringList>

namespace reed::ui {

class Actions;
class AppModel;

class SceneMenu final : public QMenu {
    Q_OBJECT
  public:
    explicit SceneMenu(Actions& actions, QWidget* parent = nullptr);

  signals:
    void renameWanted();
    void aboutWanted();
    void besideWanted();
    void rulesWanted();
    void filesWanted();
    /// Exports the current scene, or all.
    void exportWanted(bool all);

  private:
    void addEarlier();
    void fillEarlier(QMenu* earlier);
    void addStartingPoints();
    Actions& actions_;
    AppModel& app_;
};

/// Imports the scenes of scene files and zips; asks once if names already exist.
void importScenes(AppModel& app, QWidget* parent, const QStringList& files);
/// Imports a scene from text after showing its contents.
void pasteScene(AppModel& app, QWidget* parent, const QString& text);

/// Accepts scene files and zips that are dropped onto a window.
class SceneDrop final : public QObject {
    Q_OBJECT
  public:
    SceneDrop(AppModel& app, QWidget* window);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    AppModel& app_;
    QWidget* window_;
};

}  // namespace reed::ui
