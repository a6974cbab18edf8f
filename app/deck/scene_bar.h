// The scenes, always in reach.
#pragma once

#include <QLineEdit>
#include <QWidget>
#include <optional>
#include <vector>

namespace reed::ui {

class Actions;
class FlatButton;
class AppModel;

/// A button a scene (with its key, the first nine; dragged to another place), save, save under a new name,
/// rename, remove. Those that do not fit are in the menu at the end.
class SceneBar final : public QWidget {
    Q_OBJECT
  public:
    explicit SceneBar(Actions& actions, QWidget* parent = nullptr);

    enum class NameFor { new_scene, renaming };
    /// Opens the name field.
    void askName(NameFor what);
    void openMenu();
    /// Scenes by typing.
    void openFinder();
    void openAbout();
    void openBeside();
    void openRules();
    QSize minimumSizeHint() const override { return {200, 36}; }

  protected:
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    /// What a button shows of a scene.
    struct Shown {
        QString name, prefix, hint;
        std::optional<int> colour;
        bool own_key = false;
        bool operator==(const Shown&) const = default;
    };
    std::vector<Shown> shown() const;
    void rebuild();
    void mark();
    void place();
    void openFit();
    void exportScenes(bool all);
    bool drag(FlatButton* button, QEvent* event);
    bool confirmReplacing(const QString& other);
    Actions& actions_;
    AppModel& app_;
    std::vector<FlatButton*> buttons_;
    std::vector<Shown> shown_;  // by them
    FlatButton* changes_;
    FlatButton* fit_;
    FlatButton* save_;
    FlatButton* menu_;
    QLineEdit* name_;
    NameFor name_for_ = NameFor::new_scene;
    int grabbed_at_ = -1;  // where in its button a scene is held; -1: none is
    bool dragged_ = false;
};

}  // namespace reed::ui
