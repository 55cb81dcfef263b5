// What a gauge reads, drawn over the shot; which layer's result it reads, and over what it is high.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QToolButton>
#include <QWidget>
#include <map>

#include "app/document/document.h"
#include "app/document/session.h"

namespace nutatio::app {

/// A curve over the shot with its peaks, its unit and the play-head; a press or a drag goes to a frame.
class GaugePlot : public QWidget {
    Q_OBJECT
  public:
    GaugePlot(Document& document, Session& session, std::string gauge, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;

  private:
    Document& m_document;
    Session& m_session;
    std::string m_gauge;
};

class GaugePanel : public QWidget {
    Q_OBJECT
  public:
    GaugePanel(Document& document, Session& session, std::string gauge, QWidget* parent = nullptr);
    void refresh();
    /// Whether it would look otherwise now.
    static QString shape(const scene::Scene& scene, const scene::Gauge& gauge);

  Q_SIGNALS:
    void said(const QString& sentence);
    void commandWanted(const QString& id);

  private:
    Document& m_document;
    Session& m_session;
    std::string m_gauge;
    GaugePlot* m_plot;
    QComboBox* m_reads;
    std::map<std::string, QToolButton*> m_over;
};

}  // namespace nutatio::app
