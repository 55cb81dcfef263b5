// How a setting follows a gauge: which one, its response, and how late and how fast.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QWidget>
#include <functional>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/widgets/response_edit.h"

namespace nutatio::app {

class FeedPanel : public QWidget {
    Q_OBJECT
  public:
    FeedPanel(Document& document, Session& session, scene::Owner owner, const scene::SettingSpec& spec,
              QWidget* parent = nullptr);
    void refresh();
    QComboBox* gauges() const { return m_gauges; }
    ResponseEdit* response() const { return m_response; }
    /// Times, lag, attack, release, least, most.
    QLineEdit* field(int which) const { return m_fields[which].field; }

  Q_SIGNALS:
    void said(const QString& sentence);

  private:
    void chooseGauge(int index);
    void change(const QString& name, const std::function<void(scene::Feed&)>& how, const QString& gesture = {});
    const scene::Feed* feed() const;

    Document& m_document;
    Session& m_session;
    scene::Owner m_owner;
    const scene::SettingSpec m_spec;
    QComboBox* m_gauges;
    ResponseEdit* m_response;
    QWidget* m_more;
    struct Field {
        QLineEdit* field = nullptr;
        double scene::Feed::*member = nullptr;
        std::function<double()> one;  // what 1 on show is in the feed
    };
    Field m_fields[6];
    QToolButton* m_straight;
    QString m_listed;
};

}  // namespace nutatio::app
