// The Scope: how the selected layer answers a push, measured by running it.
#pragma once

#include <QWidget>
#include <optional>

#include "app/document/document.h"
#include "app/document/session.h"
#include "measure/response.h"

namespace nutatio::app {

class Scope : public QWidget {
    Q_OBJECT
  public:
    Scope(Document& document, Session& session, QWidget* parent = nullptr);
    const std::optional<measure::Response>& response() const { return m_response; }
    /// The figures in words, as shown under the plot.
    QString words() const;

  Q_SIGNALS:
    void measured();

  protected:
    QSize sizeHint() const override { return {280, 168}; }
    void paintEvent(QPaintEvent*) override;

  private:
    void measure();

    Document& m_document;
    Session& m_session;
    std::optional<measure::Response> m_response;
    double m_fps = 24, m_mmPerUnit = 1000;
    std::string m_layer;
    NewestWins m_runner;
};

}  // namespace nutatio::app
