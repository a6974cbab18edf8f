// Menu entries of the apps that play.
#pragma once

class QMenu;

namespace reed::ui {

class StripModel;

/// Adds one entry per app, checked if it plays into this app audio strip. An entry moves its app here, or
/// back to its default output.
void addPrograms(QMenu* menu, StripModel& programme);

}  // namespace reed::ui
