// What can be done with scenes.
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
    /// The scene in work alone, or all.
    void exportWanted(bool all);

  private:
    void addEarlier();
    void fillEarlier(QMenu* earlier);
    void addStartingPoints();
    Actions& actions_;
    AppModel& app_;
};

/// Takes the scenes of scene files and zips in; asks once where names are here already.
void importScenes(AppModel& app, QWidget* parent, const QStringList& files);
/// Takes in a scene that was copied as text, after it was shown what it is.
void pasteScene(AppModel& app, QWidget* parent, const QString& text);

/// Lets scene files and zips be dropped onto a window.
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
