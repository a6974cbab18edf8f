// The programs that play sound now, sent to a programme and back.
#pragma once

class QMenu;

namespace reed::ui {

class StripModel;

/// An entry a program, checked where it plays into this programme; pressed, it is sent here or back.
void addPrograms(QMenu* menu, StripModel& programme);

}  // namespace reed::ui
