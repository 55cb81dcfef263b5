// The curves that fill the bench: a joint's motion, gauges, and settings that change within the shot.
#pragma once

#include <QLabel>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <map>
#include <set>

#include "app/curves/curve_plot.h"

namespace nutatio::app {

class CurveView : public QWidget {
    Q_OBJECT
  public:
    CurveView(Document& document, Session& session, TimeView& view, KeySelection& keys, QWidget* parent = nullptr);
    CurvePlot* plot() const { return m_plot; }
    /// The chip that shows or hides a curve, by its id: "body:speed", "gauge:ID", "layers:ID:SETTING".
    QToolButton* chip(const QString& id) const { return m_chips.value(id); }
    /// Steps to the next or the last peak of the curve that was chosen last; a sentence where there is none.
    QString toPeak(int way);

  Q_SIGNALS:
    void menuWanted(const QPoint& global);

  protected:
    void showEvent(QShowEvent*) override;

  private:
    void rebuild();
    void refresh();
    void addHeading(const QString& text);
    void addChip(const QString& id, const QString& text, const QColor& colour);
    std::vector<PlotCurve> bodyCurves(const QString& id);
    std::vector<PlotCurve> curvesOf(const QString& id);

    Document& m_document;
    Session& m_session;
    CurvePlot* m_plot;
    QScrollArea* m_scroll;
    QVBoxLayout* m_list = nullptr;
    QToolButton* m_each;
    QMap<QString, QToolButton*> m_chips;
    std::set<QString> m_on;
    QString m_built, m_last;
    std::vector<PlotCurve> m_shown;
    /// A joint's curves as long as nothing they were read of has changed: a key that is dragged moves no body.
    struct Read {
        pipeline::TrackPtr body, result;
        std::shared_ptr<const scene::ActorEntry> actor;
        std::vector<double> cuts;
        int joint = -1;
        std::vector<PlotCurve> curves;
    };
    QMap<QString, Read> m_read;
};

}  // namespace nutatio::app
