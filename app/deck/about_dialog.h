// The window "About": version, licences, and details for a report.
#pragma once

#include <QDialog>
#include <vector>

namespace reed::ui {

class AppModel;
class Words;

/// A program, library or font that Dusky Reed contains or links (packaging/components.json).
struct Component {
    QString name, what, licence, copyright;
    bool built_in = false;  ///< compiled in; false: a library of the system
};

/// In the order of the file.
const std::vector<Component>& components();

/// What a report of a fault needs: versions, display, sound settings, kinds of the stages, dropouts. Without
/// names of people, devices, scenes and strips, and without paths. Plain text, English, several lines.
QString reportDetails(AppModel& app);

/// Shows version and licences, and copies the details for a report.
class AboutDialog final : public QDialog {
    Q_OBJECT
  public:
    AboutDialog(AppModel& app, QWidget* parent);
    /// Opens it over `window`, or shows the one that is open.
    static void open(AppModel& app, QWidget* window);

  private:
    QWidget* componentList();

    AppModel& app_;
    Words* copied_;
};

}  // namespace reed::ui
