// The Roster: actors with their joints, clips and colliders, as a tree with a search.
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QTreeWidget>
#include <QWidget>

#include "app/document/document.h"
#include "app/document/session.h"

namespace nutatio::app {

class Roster : public QWidget {
    Q_OBJECT
  public:
    Roster(Document& document, Session& session, QWidget* parent = nullptr);
    QTreeWidget* tree() const { return m_tree; }
    /// What a search found, in one flat list that takes the tree's place.
    QTreeWidget* found() const { return m_found; }

  protected:
    bool eventFilter(QObject* o, QEvent* e) override;

  Q_SIGNALS:
    /// Right click: what can be done with the selection is the bench's to say.
    void menuWanted(const QPoint& global);

  private:
    static QString pathOf(const QTreeWidgetItem* item);
    void dress(QTreeWidget* tree);
    void rebuild();
    void addParts(const scene::ActorEntry& a, QTreeWidgetItem* top);
    void addOthers();
    void addActor(const scene::ActorEntry& a);
    void showSelection();
    void takeSelection(QTreeWidget* from);
    void activate(QTreeWidgetItem* item);
    /// Lists what answers to the search and to the filter, in place of the tree.
    void find();
    bool lists() const { return !m_search->text().isEmpty() || m_filter->currentIndex() > 0; }

    Document& m_document;
    Session& m_session;
    QLineEdit* m_search;
    QComboBox* m_filter;
    QTreeWidget *m_tree, *m_found;
    std::string m_built;               // what the tree shows, to leave it alone while nothing of that changes
    QTreeWidget* m_clicked = nullptr;  // while it tells of a click
    bool m_following = false;
};

}  // namespace nutatio::app
