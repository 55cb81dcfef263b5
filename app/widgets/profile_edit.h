// A profile drawn from root to tip, with points to drag.
#pragma once

#include <QWidget>

#include "scene/setting.h"

namespace nutatio::app {

/// Drag a point; click on the line to add one; double-click one to take it away, the last but one takes the whole profile away.
class ProfileEdit : public QWidget {
    Q_OBJECT
  public:
    explicit ProfileEdit(QWidget* parent = nullptr);
    void setProfile(const scene::Profile& profile);
    const scene::Profile& profile() const { return m_profile; }
    QPointF pointAt(const scene::ProfilePoint& p) const;

  Q_SIGNALS:
    void changed(const scene::Profile& profile, const QString& gesture);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void mouseDoubleClickEvent(QMouseEvent* e) override;

  private:
    scene::ProfilePoint valueAt(const QPointF& p) const;
    int hit(const QPointF& p) const;
    scene::Profile m_profile;
    int m_grabbed = -1;
    QString m_gesture;
};

}  // namespace nutatio::app
