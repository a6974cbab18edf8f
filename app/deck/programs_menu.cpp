#include "deck/programs_menu.h"

#include <QMenu>

#include "model/strips/strip_model.h"

namespace reed::ui {

void addPrograms(QMenu* menu, StripModel& programme) {
    const auto& programs = programme.audio().snapshot().programs;
    if (programs.empty()) menu->addAction(QObject::tr("No app is playing audio"))->setEnabled(false);
    for (const PlayingProgram& program : programs) {
        const bool here = program.into == programme.input().choice().target;
        QString words = QString::fromStdString(program.name);
        if (!program.title.empty() && program.title != program.name)
            words += ": " + QString::fromStdString(program.title).left(40);
        QAction* a =
            menu->addAction(words.replace('&', "&&").replace('\t', ' '), &programme,
                            [&programme, program, here] { programme.input().moveApp(program, !here); });
        a->setCheckable(true);
        a->setChecked(here);
    }
}

}  // namespace reed::ui
