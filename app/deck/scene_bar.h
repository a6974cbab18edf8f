// The bar with the scenes.
#pragma once

#include <QLineEdit>
#include <QWidget>
#include <optional>
#include <vector>

namespace reed::ui {

class Actions;
class FlatButton;
class AppModel;

/// One button per scene, with the number of its shortcut; drag a button to move the scene. Save, and a menu
/// with everything else, including the scenes that do not fit.
class SceneBar final : public QWidget {
    Q_OBJECT
  public:
    explicit SceneBar(Actions& actions, QWidget* parent = nullptr);

    enum class NameFor { new_scene, renaming };
    /// Opens the field for a scene name.
    void askName(NameFor what);
    void openMenu();
    /// Opens the scene finder.
    void openFinder();
    void openAbout();
    void openBeside();
    void openRules();
    QSize minimumSizeHint() const override { return {200, 36}; }

  protected:
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    /// Contents of a button.
    struct Shown {
        QString name, prefix, hint;
        std::optional<int> colour;
        bool own_key = false;
        bool operator==(const Shown&) const = default;
    };
    /// What is shown of the current scene.
    struct Marked {
        QString scene, hint;
        size_t changes = 0;
        bool changed = false, saving = false, off = false;
        bool operator==(const Marked&) const = default;
    };
    std::vector<Shown> shown() const;
    void rebuild();
    /// Called for every change of a value: widths of texts are measured only when one has changed.
    void mark();
    void place();
    void openFit();
    void exportScenes(bool all);
    bool drag(FlatButton* button, QEvent* event);
    bool confirmReplacing(const QString& other);
    Actions& actions_;
    AppModel& app_;
    std::vector<FlatButton*> buttons_;
    std::vector<Shown> shown_;  // contents of the buttons
    std::optional<Marked> marked_;
    FlatButton* changes_;
    FlatButton* fit_;
    FlatButton* save_;
    FlatButton* menu_;
    QLineEdit* name_;
    NameFor name_for_ = NameFor::new_scene;
    int grabbed_at_ = -1;  // x at which a dragged button is held; -1: none is dragged
    bool dragged_ = false;
};

}  // namespace reed::ui
