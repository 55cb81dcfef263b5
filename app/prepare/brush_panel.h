// The brush for skin weights and maps: what it does, how large it is, how strong, and on which sides.
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include "app/document/session.h"
#include "app/widgets/slider.h"

namespace nutatio::app {

class BrushPanel : public QWidget {
    Q_OBJECT
  public:
    BrushPanel(const Document& document, Session& session, QWidget* parent = nullptr);
    void refresh();

  private:
    const Document& m_document;
    Session& m_session;
    QLabel *m_joint, *m_radiusText, *m_strengthText;
    QList<QPushButton*> m_brushes;
    Slider *m_radius, *m_strength;
    QCheckBox* m_mirrored;
};

}  // namespace nutatio::app
