// Which ways are drawn on the stage, what they are seen from, and ghosts of other frames.
#pragma once

#include "app/prepare/face.h"

namespace nutatio::app {

class TrailsFace : public Face {
    Q_OBJECT
  public:
    TrailsFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void change(const std::function<void(Trails&)>& what);

    bool m_counts = false;
};

}  // namespace nutatio::app
