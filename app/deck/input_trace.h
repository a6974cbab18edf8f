// The input over the last half minute, with the range it should peak in.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <deque>

namespace reed::ui {

class Session;

class InputTrace final : public QWidget {
    Q_OBJECT
  public:
    explicit InputTrace(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {300, 104}; }
    QSize minimumSizeHint() const override { return {200, 80}; }
    /// How far the loud peaks are from the range, as it is written.
    QString verdict() const { return verdict_; }
    struct Piece {   // a tenth of a second
        float peak;  // dBFS
        bool spoken, clipped;
    };
    /// What is shown, oldest first.
    const std::deque<Piece>& shown() const { return pieces_; }
    /// Tenths of a second that are shown; those in which the source clipped.
    size_t pieces() const { return pieces_.size(); }
    size_t clippedPieces() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void follow();
    void judge();

    Session& session_;
    std::deque<Piece> pieces_;
    QString verdict_;
    bool right_ = false;
    std::uint64_t clipped_ = 0;
    float highest_ = -150.0f;  // of the piece under way
    bool spoken_ = false;
    int judge_in_ = 0;
    QElapsedTimer clock_;
    qint64 made_ = 0;  // pieces since it started
};

}  // namespace reed::ui
