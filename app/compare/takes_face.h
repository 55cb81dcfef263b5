// The takes that the scene keeps: looked at, compared, adopted, restored.
#pragma once

#include "app/prepare/face.h"

class QLineEdit;

namespace nutatio::app {

class TakesFace : public Face {
    Q_OBJECT
  public:
    TakesFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void addTake(const scene::Take& take);
    void addBeside(const QString& name, const QString& words, const std::string& id, QBoxLayout* into);
    void putBeside(const std::string& id, bool on);
};

}  // namespace nutatio::app
