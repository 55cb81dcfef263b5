// What the faces of Prepare share: lists that are laid out anew when the scene or the selection changed.
#pragma once

#include <QVBoxLayout>
#include <QWidget>
#include <functional>

#include "app/document/session.h"
#include "app/widgets/list_row.h"
#include "base/error.h"

namespace nutatio::app {

class Face : public QWidget {
    Q_OBJECT
  public:
    Face(Document& document, Session& session, QWidget* parent = nullptr);
    /// Lays it out as things are now.
    void refresh();
    /// Once, when what changes now has changed: an edit may tell of itself several times.
    void refreshSoon();

  Q_SIGNALS:
    void titleChanged(const QString& title);
    void commandWanted(const QString& id);
    void said(const QString& sentence);

  protected:
    /// Fills `rows()` anew.
    virtual void lay() = 0;
    QVBoxLayout* rows() const { return m_rows; }
    /// What stands above the list and stays.
    QVBoxLayout* top() const { return m_top; }
    void addText(const QString& text);
    void addHeading(const QString& text);
    struct Button {
        QString name, words, help;
        std::function<void()> act;
        bool can = true;
    };
    /// So many to a row.
    void addButtons(QVBoxLayout* into, const QList<Button>& buttons, int across = 3);
    /// Commands of the bench, by id and words.
    void addCommands(QVBoxLayout* into, const QList<std::pair<QString, QString>>& commands, int across = 3);
    ListRow* addRow(const QString& text, const QString& detail = {});
    /// One step of history, or the sentence that says why not.
    bool attempt(const QString& name, const std::function<Result<Done>(scene::Scene&)>& what);
    /// The actor of the selection, or the first one that is no set piece.
    const scene::ActorEntry* actor() const;
    /// References of the selected joints of that actor.
    std::vector<std::string> selectedJoints() const;
    /// A field in place of a row's words; `done` hears the new name.
    void askForName(ListRow* row, const std::function<void(const QString&)>& done);

    Document& m_document;
    Session& m_session;

  private:
    QVBoxLayout *m_layout, *m_top, *m_rows = nullptr;
    QWidget* m_list = nullptr;
    bool m_stale = false;
};

}  // namespace nutatio::app
