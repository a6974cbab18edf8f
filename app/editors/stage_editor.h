// The focused stage: its parameters, built from its table, and a picture of what it does.
#pragma once

#include <QWidget>
#include <vector>

class QGridLayout;
class QHBoxLayout;

namespace reed::ui {

class EqCurve;
class FlatButton;
class OctaveView;
class Session;
class TimeView;
class ValueField;
class Words;

class StageEditor final : public QWidget {
    Q_OBJECT
  public:
    explicit StageEditor(Session& session, QWidget* parent = nullptr);

    /// The field of a parameter of the focused stage, or nullptr.
    ValueField* field(const QString& parameter_id) const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void show(bool rebuild);
    void buildFields();
    void buildEqualizer();
    /// Hides what the chosen band's type has no use for.
    void showRelevant();
    void addField(size_t parameter, int row, int column);
    void updateAdvice();

    Session& session_;
    Words* title_;
    Words* purpose_;
    Words* advice_;
    FlatButton* bypass_;
    QWidget* body_ = nullptr;
    QWidget* fields_box_ = nullptr;
    QGridLayout* grid_ = nullptr;
    EqCurve* curve_ = nullptr;
    OctaveView* octaves_ = nullptr;
    FlatButton* listen_ = nullptr;
    bool show_octaves_ = false;
    std::vector<std::pair<size_t, ValueField*>> fields_;
    QString shown_stage_, shown_kind_;
    int ticks_ = 0;
};

}  // namespace reed::ui
