// The Tuner: what can be attached to the selection, or the settings of what is selected.
#pragma once

#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>
#include <QWidget>
#include <map>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/tuner/scope.h"
#include "app/tuner/setting_row.h"

namespace nutatio::app {

class Tuner : public QWidget {
    Q_OBJECT
  public:
    Tuner(Document& document, Session& session, QWidget* handoff, QWidget* parent = nullptr);
    SettingRow* row(const std::string& setting) const;
    Scope* scope() const { return m_scope; }

  Q_SIGNALS:
    void layerWanted(const std::string& kind);
    void colliderWanted(scene::Shape shape);

  private:
    void rebuild();
    void refresh();
    void buildAttach();
    void buildLayer(const scene::Layer& layer);
    void buildCollider(const scene::Collider& collider);
    void buildNothing();
    SettingRow* addRow(const scene::SettingSpec& spec);
    void addText(const QString& text, bool soft = true);
    QString page() const;

    Document& m_document;
    Session& m_session;
    QWidget* m_handoff;
    QLabel *m_heading, *m_title, *m_help;
    Scope* m_scope;
    QScrollArea* m_scroll;
    QVBoxLayout* m_rows = nullptr;
    std::map<std::string, SettingRow*> m_byId;
    QString m_page;                         // which page is built
    std::vector<std::string> m_lastJoints;  // references of the joints last selected
};

}  // namespace nutatio::app
