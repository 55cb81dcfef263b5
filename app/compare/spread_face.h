// What a spread goes over.
#pragma once

#include "app/prepare/face.h"

class QComboBox;

namespace nutatio::app {

class SpreadFace : public Face {
    Q_OBJECT
  public:
    SpreadFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    enum class Way { Across, Down };
    /// The spread as it is laid out, or one to begin with; nothing where nothing has a number.
    std::optional<edit::Spread> now() const;
    void put(edit::Spread spread);
    void layAxis(Way way, const edit::Spread& spread);
    void setAxis(Way way, const scene::Owner& owner, const std::string& setting);
};

}  // namespace nutatio::app
