// Value fields of a stage, built from its parameter table.
#pragma once

#include <QWidget>
#include <utility>
#include <vector>

#include "model/chain/stage_ref.h"
#include "model/shared/midi_assignments.h"

class QBoxLayout;
class QGridLayout;

namespace reed::ui {

class StripModel;
class ValueField;
class Words;

/// Adds a text below the fields in `column`, aligned with their names.
Words* addWordsBelow(QBoxLayout& column, QWidget* parent, const char* object_name, int pixels = 14);

class FieldGrid final : public QWidget {
    Q_OBJECT
  public:
    FieldGrid(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);

    /// Fields for these rows of the table, in columns of at most `rows`.
    void build(const std::vector<size_t>& parameters, int rows);
    /// Fields for the whole table.
    void buildAll(int rows);
    /// The field of a parameter, or nullptr.
    ValueField* field(const QString& parameter_id) const;
    /// Shows the current values.
    void refresh();
    /// Shows the readouts of the stage: marks on fields, the others as text lines.
    QString showReadouts();
    /// Hides values that have no effect with the other settings.
    void setRelevant(size_t parameter, bool relevant);
    int columns() const { return columns_; }

  private:
    MidiTarget addressOf(size_t parameter) const;
    StripModel& strip_;
    StageRef stage_;
    QGridLayout* grid_;
    std::vector<std::pair<size_t, ValueField*>> fields_;
    int columns_ = 1;
};

}  // namespace reed::ui
