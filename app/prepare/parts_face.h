// A face of Prepare: parts that were accepted, and those that names and skeleton suggest.
#pragma once

#include "app/prepare/face.h"

namespace nutatio::app {

class PartsFace : public Face {
    Q_OBJECT
  public:
    using Face::Face;

  protected:
    void lay() override;

  private:
    void select(const std::string& actor, const std::vector<std::string>& joints, bool more);
    void laySuggested(const scene::ActorEntry& a);
    void layRoles(const scene::ActorEntry& a);
    void layAccepted(const scene::ActorEntry& a, const scene::Part& p);

    std::vector<std::string> m_chosen;  // parts, by name
    Key m_of;                           // which actor the suggestions are of
    std::vector<std::pair<std::string, std::vector<std::string>>> m_suggested;
};

}  // namespace nutatio::app
