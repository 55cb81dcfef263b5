// Stack and Tape: a lane a layer with its traces, the ruler, and the transport.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <vector>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/tape/trial_strip.h"
#include "app/widgets/held_frame.h"
#include "app/widgets/slider.h"

namespace nutatio::app {

inline constexpr int kStackWidth = 300;

/// Where frames stand across the tape. Frame 0 of the shot is drawn as 1.
struct FrameScale {
    int frames = 1;
    double width = 1;
    double x(double frame) const { return frames > 1 ? 10 + frame / (frames - 1) * (width - 20) : 0.5 * width; }
    int frame(double at) const {
        return frames > 1 ? std::clamp(static_cast<int>(std::lround((at - 10) / (width - 20) * (frames - 1))), 0, frames - 1) : 0;
    }
};

/// The ruler: numbers, ready frames, and a handle for the play-head.
class Ruler : public QWidget {
    Q_OBJECT
  public:
    Ruler(Document& document, Session& session, QWidget* parent = nullptr);
    FrameScale scale() const { return {m_document.frames(), static_cast<double>(width())}; }

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;

  private:
    Document& m_document;
    Session& m_session;
};

/// One layer: its toggles and mix on the left, its traces on the right.
class Lane : public QWidget {
    Q_OBJECT
  public:
    Lane(Document& document, Session& session, std::string layer, QWidget* parent = nullptr);
    const std::string& layer() const { return m_layer; }
    void refresh();

  Q_SIGNALS:
    void menuWanted(const QPoint& global);

  protected:
    void contextMenuEvent(QContextMenuEvent* e) override;
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;

  private:
    void scrub(double x);
    Document& m_document;
    Session& m_session;
    std::string m_layer;
    HeldFrame m_held;
    QString m_glyphShown;
    QToolButton *m_mute, *m_solo;
    QLabel *m_glyph, *m_name;
    Slider* m_mix;
    QLabel* m_mixText;
};

class Tape : public QWidget {
    Q_OBJECT
  public:
    Tape(Document& document, Session& session, QWidget* parent = nullptr);
    Ruler* ruler() const { return m_ruler; }
    Lane* lane(const std::string& layer) const;
    TrialStrip* trials() const { return m_trials; }
    /// After the theme changed.
    void repaintAll() { refresh(); }

  Q_SIGNALS:
    /// Right click on a lane, whose layer is selected by then.
    void menuWanted(const QPoint& global);

  private:
    void rebuild();
    void refresh(const scene::Change& change);
    void refresh();
    void showShots();
    QWidget* transport();

    Document& m_document;
    Session& m_session;
    Ruler* m_ruler;
    TrialStrip* m_trials;
    QScrollArea* m_scroll;
    std::vector<Lane*> m_lanes;
    std::string m_built;
    bool m_anySolo = false;
    QToolButton *m_play = nullptr, *m_loop = nullptr;
    QComboBox* m_clip = nullptr;
    QLineEdit *m_frame = nullptr, *m_fps = nullptr;
    QLabel* m_of = nullptr;
};

}  // namespace nutatio::app
