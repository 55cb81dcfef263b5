// The trials: a button for each test move, those that were kept, and how big and how fast.
#pragma once

#include <QComboBox>
#include <QMap>
#include <QToolButton>
#include <QWidget>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/widgets/slider.h"

namespace nutatio::app {

/// Acts on the actor of the selection, or the first one; moves the joint last selected when asked to.
class TrialStrip : public QWidget {
    Q_OBJECT
  public:
    TrialStrip(Document& document, Session& session, QWidget* parent = nullptr);
    QToolButton* button(const QString& move) const { return m_moves.value(move); }
    Slider* sizeSlider() const { return m_size; }
    Slider* speedSlider() const { return m_speed; }
    QToolButton* kept() const { return m_kept; }
    /// What moves: the whole, a role, or the joint last selected.
    QComboBox* roles() const { return m_role; }
    /// The trial goes on top of the clip, not in its place.
    QToolButton* onTop() const { return m_onTop; }
    /// Where trials are kept; none without.
    void setFolder(const QString& folder) { m_folder = folder; }
    /// Their names.
    QStringList keptNames() const;
    /// Keeps the clip on show of the actor.
    void keep();
    /// Puts one on, or takes it off when it is the one that is on.
    void chooseKept(const QString& name);
    /// Puts a trial on, or takes it off when it is the one that is on.
    void choose(const QString& move);

  Q_SIGNALS:
    void hovered(const QString& help);
    void said(const QString& text);

  protected:
    bool eventFilter(QObject* o, QEvent* e) override;

  private:
    std::string actor() const;
    void change(const std::function<void(rig::Trial&)>& how);
    void refresh();
    void fillKept();
    QString fileOf(const QString& name) const;
    /// Has the kept trial that an actor is on follow what becomes of it.
    void mapAnew(const scene::ActorEntry& actor);
    Document& m_document;
    Session& m_session;
    QMap<QString, QToolButton*> m_moves;
    QToolButton* m_kept;
    QString m_folder;
    QComboBox* m_role;
    Key m_rolesOf;  // the actor whose roles are listed
    Slider *m_size, *m_speed;
    QToolButton* m_onTop;
    QWidget* m_more;
    std::string m_lastJoint, m_lastActor;
};

}  // namespace nutatio::app
