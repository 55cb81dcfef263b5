// The Tuner: what can be attached to the selection, or the settings of what is selected.
#pragma once

#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>
#include <QWidget>
#include <map>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/tuner/feels_shelf.h"
#include "app/tuner/scope.h"
#include "app/tuner/setting_row.h"
#include "app/tuner/trial_strip.h"

namespace nutatio::app {

class Tuner : public QWidget {
    Q_OBJECT
  public:
    Tuner(Document& document, Session& session, QWidget* handoff, QWidget* parent = nullptr);
    SettingRow* row(const std::string& setting) const;
    QString remark() const { return m_remark->text(); }
    Scope* scope() const { return m_scope; }
    TrialStrip* trials() const { return m_trials; }
    FeelsShelf* feels() const { return m_feels; }
    /// Opens or folds a group of rows by its heading.
    void setOpen(const QString& group, bool open);
    void scrollTo(QWidget* widget) { m_scroll->ensureWidgetVisible(widget); }

  Q_SIGNALS:
    void layerWanted(const std::string& kind);
    void colliderWanted(scene::Shape shape);
    /// A command of the bench by its id.
    void commandWanted(const QString& id);
    void said(const QString& sentence);

  private:
    void rebuild();
    void refresh();
    void showRemark();
    void buildAttach();
    void buildLayer(const scene::Layer& layer);
    void buildCollider(const scene::Collider& collider);
    void buildWind(const scene::Wind& wind);
    void buildPin(const scene::Pin& pin);
    void beginGroup(const QString& name);
    void addButtons(std::initializer_list<std::pair<QString, QString>> commands, bool can = true);
    void connectLayerRow(SettingRow* row, const std::string& layer);
    void refreshLayer(const scene::Layer& layer);
    void buildNothing();
    SettingRow* addRow(const scene::SettingSpec& spec);
    void addText(const QString& text, bool soft = true);
    QString page() const;
    static QString heldWords(const scene::Pin& pin);
    static QString ridesWords(const scene::Collider& collider);

    Document& m_document;
    Session& m_session;
    QWidget* m_handoff;
    QLabel *m_heading, *m_title, *m_help, *m_remark;
    Scope* m_scope;
    QScrollArea* m_scroll;
    TrialStrip* m_trials;
    FeelsShelf* m_feels;
    QVBoxLayout *m_all = nullptr, *m_rows = nullptr;
    QMap<QString, bool> m_open;  // groups of rows that a person opened or folded
    QMap<QString, QToolButton*> m_groups;
    std::map<std::string, SettingRow*> m_byId;
    std::map<std::string, QToolButton*> m_chips;  // of a wind: by layer
    QString m_page;                               // which page is built
    std::vector<std::string> m_lastJoints;        // references of the joints last selected
};

}  // namespace nutatio::app
