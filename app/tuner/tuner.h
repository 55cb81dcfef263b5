// The Tuner: what can be attached to the selection, or the settings of what is selected.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QWidget>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/prepare/checker.h"
#include "app/tuner/feels_shelf.h"
#include "app/tuner/scope.h"
#include "app/tuner/tuned_page.h"
#include "edit/edit.h"

namespace nutatio::app {

class FacePage;

class Tuner : public QWidget {
    Q_OBJECT
  public:
    Tuner(Document& document, Session& session, Checker& checker, QWidget* handoff, QWidget* parent = nullptr);
    SettingRow* row(const std::string& setting) const { return m_tuned ? m_tuned->row(setting) : nullptr; }
    SettingRow* firstKeyable() const { return m_tuned ? m_tuned->firstKeyable() : nullptr; }
    QString remark() const { return m_remark->text(); }
    Scope* scope() const { return m_scope; }
    FeelsShelf* feels() const { return m_feels; }
    /// Opens or folds a group of rows by its heading.
    void setOpen(const QString& group, bool open);
    void scrollTo(QWidget* widget) { m_scroll->ensureWidgetVisible(widget); }
    int visibleRows() const;
    /// Unfolds and shows a setting's row, and gives it the focus.
    void reveal(const std::string& setting);
    /// Turns the title into a field; `done` hears the new name, unless it is left as it was.
    void askForName(const QString& now, const std::function<void(const QString&)>& done);

  Q_SIGNALS:
    void layerWanted(const std::string& kind);
    void colliderWanted(scene::Shape shape);
    /// A command of the bench by its id.
    void commandWanted(const QString& id);
    void layerOnPartsWanted(const std::string& kind, const std::vector<nutatio::edit::Suited>& parts);
    void said(const QString& sentence);

  private:
    void rebuild();
    void showRemark();
    void showTravel();
    QWidget* newPage();
    /// With what it says passed on.
    QWidget* joined(FacePage* page);
    QString page() const;
    /// What the selection is tuned as, when it is.
    std::optional<scene::Owner> tuned() const;

    Document& m_document;
    Session& m_session;
    Checker& m_checker;
    QWidget* m_handoff;
    QLabel *m_heading, *m_title, *m_help, *m_remark;
    QLineEdit* m_name;
    std::function<void(const QString&)> m_named;
    Scope* m_scope;
    QScrollArea* m_scroll;
    FeelsShelf* m_feels;
    QMap<QString, bool> m_open;  // groups of rows that a person opened or folded
    TunedPage* m_tuned = nullptr;
    QString m_page;                         // which page is built
    std::vector<std::string> m_lastJoints;  // references of the joints last selected
    std::string m_lastJointsOf;             // the actor
};

}  // namespace nutatio::app
