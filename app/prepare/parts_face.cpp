#include "app/prepare/parts_face.h"

#include <algorithm>
#include <set>

#include "app/look/parts.h"
#include "app/look/text.h"
#include "edit/edit.h"
#include "rig/parts.h"
#include "rig/roles.h"

namespace nutatio::app {

namespace {
constexpr int kColours = 8;

}  // namespace

void PartsFace::select(const std::string& actor, const std::vector<std::string>& joints, bool more) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a) return;
    Selection s;
    if (more && m_session.selection().actor == actor) s.joints = m_session.selection().joints;
    s.actor = actor;
    for (const std::string& name : joints)
        if (const int j = a->actor->skeleton.find(name);
            j != rig::kNoJoint && std::find(s.joints.begin(), s.joints.end(), j) == s.joints.end())
            s.joints.push_back(j);
    m_session.select(std::move(s));
}

void PartsFace::layAccepted(const scene::ActorEntry& a, const scene::Part& p) {
    ListRow* row = addRow(qs(p.name), p.rigid ? tr("rigid, %1").arg(p.joints.size()) : QString::number(p.joints.size()));
    row->setObjectName(QStringLiteral("part"));
    row->setSwatch(look::partColour(p.colour));
    row->setChosen(std::find(m_chosen.begin(), m_chosen.end(), p.name) != m_chosen.end());
    connect(row, &ListRow::swatchPressed, this, [this, id = a.id, name = p.name, next = (p.colour + 1) % kColours] {
        attempt(tr("Colour of %1").arg(qs(name)), [&](scene::Scene& s) { return edit::colourPart(s, id, name, next); });
    });
    connect(row, &ListRow::chosen, this, [this, id = a.id, p](bool more) {
        if (!more) m_chosen.clear();
        std::erase(m_chosen, p.name);
        m_chosen.push_back(p.name);
        select(id, p.joints, more);
        refresh();
    });
}

void PartsFace::laySuggested(const scene::ActorEntry& a) {
    if (!(m_of == a.actor->content) || m_suggested.empty()) {
        m_of = a.actor->content;
        m_suggested.clear();
        for (const rig::Part& p : rig::suggestedParts(*a.actor)) {
            std::vector<std::string> joints;
            for (int j : p.joints) joints.push_back(a.actor->skeleton.reference(j));
            m_suggested.emplace_back(p.name, std::move(joints));
        }
    }
    std::set<std::string> taken;
    for (const scene::Part& p : a.parts) taken.insert(p.joints.begin(), p.joints.end());
    std::vector<std::pair<std::string, std::vector<std::string>>> left;
    for (const auto& each : m_suggested)
        if (std::none_of(each.second.begin(), each.second.end(), [&](const std::string& j) { return taken.count(j) > 0; }))
            left.push_back(each);
    if (left.empty()) return;
    addHeading(tr("Suggested by names and skeleton"));
    addButtons(
        rows(),
        {{QStringLiteral("accept-all"), tr("Accept all %1").arg(left.size()), tr("Makes parts of all of them"),
          [this, id = a.id] { m_document.edit(tr("Accept parts"), [&](scene::Scene& s) { edit::acceptParts(s, id); }); }, true}},
        1);
    for (const auto& [name, joints] : left) {
        ListRow* row = addRow(qs(name), QString::number(joints.size()));
        row->setObjectName(QStringLiteral("suggested"));
        row->addButton(
            QStringLiteral("accept"), tr("Accept"), tr("Makes a part of it"), [this, id = a.id, name = name, joints = joints] {
                attempt(tr("Part %1").arg(qs(name)), [&](scene::Scene& s) { return edit::addPart(s, id, name, joints); });
            });
        connect(row, &ListRow::chosen, this, [this, id = a.id, joints = joints](bool more) { select(id, joints, more); });
    }
}

/// What its names, shape and mesh make of the body, each with what a person may say instead.
void PartsFace::layRoles(const scene::ActorEntry& a) {
    const rig::Roles roles = rig::rolesOf(*a.actor);
    const rig::Skeleton& k = a.actor->skeleton;
    const std::vector<std::string> chosen = selectedJoints();
    addHeading(tr("The body, as it is taken"));
    const auto row = [&](std::string_view role, const QString& words, const std::vector<int>& joints) {
        // Of what is not of the body there may be several, each with a row of its own.
        const bool several = role == rig::kNotOfTheBody;
        const auto told = std::find_if(a.actor->told.begin(), a.actor->told.end(), [&](const rig::ToldRole& t) {
            return t.role == role && (!several || (!joints.empty() && t.joint == joints.front()));
        });
        ListRow* r = addRow(words, joints.empty() ? tr("none")
                                                  : qs(rig::plainName(k, joints.front())) +
                                                        (told != a.actor->told.end() ? tr(", told") : QString()));
        r->setObjectName(QStringLiteral("role-") + qs(role));
        std::vector<std::string> names;
        for (int j : joints) names.push_back(k.reference(j));
        connect(r, &ListRow::chosen, this, [this, id = a.id, names](bool more) { select(id, names, more); });
        const auto tell = [this, id = a.id, words, role = std::string(role)](const std::string& joint, const std::string& as) {
            attempt(tr("%1 of %2").arg(words, qs(joint)), [&](scene::Scene& s) { return edit::tellRole(s, id, joint, as); });
        };
        if (!chosen.empty() && !(several && told != a.actor->told.end()) && (names.empty() || chosen.front() != names.front()))
            r->addButton(QStringLiteral("tell"), tr("Take selected"), tr("It is %1, which is selected").arg(qs(chosen.front())),
                         [tell, chosen, role = std::string(role)] { tell(chosen.front(), role); });
        else if (told != a.actor->told.end())
            r->addButton(QStringLiteral("untell"), tr("As found"), tr("Takes back what was said of it"),
                         [tell, joint = k.reference(told->joint)] { tell(joint, {}); });
    };
    const auto one = [](int joint) { return joint == rig::kNoJoint ? std::vector<int>() : std::vector<int>{joint}; };
    row("head", tr("Head"), one(roles.head));
    const QString fore[] = {roles.fourLegged ? tr("Left fore leg") : tr("Left arm"),
                            roles.fourLegged ? tr("Right fore leg") : tr("Right arm")},
                  hind[] = {roles.fourLegged ? tr("Left hind leg") : tr("Left leg"),
                            roles.fourLegged ? tr("Right hind leg") : tr("Right leg")};
    row("left arm", fore[0], roles.arms[0].chain);
    row("right arm", fore[1], roles.arms[1].chain);
    row("left leg", hind[0], roles.legs[0].chain);
    row("right leg", hind[1], roles.legs[1].chain);
    row("tail", tr("Tail"), roles.tail);
    bool any = false;
    for (const rig::ToldRole& t : a.actor->told)
        if (t.role == rig::kNotOfTheBody) {
            row(rig::kNotOfTheBody, tr("Not of the body"), {t.joint});
            any = true;
        }
    row(rig::kNotOfTheBody, any ? tr("Not of the body either") : tr("Not of the body"), {});
}

void PartsFace::lay() {
    const scene::ActorEntry* a = actor();
    Q_EMIT titleChanged(!a                     ? tr("Nothing is open")
                        : a->parts.empty()     ? tr("No part yet")
                        : a->parts.size() == 1 ? tr("1 part")
                                               : tr("%1 parts").arg(a->parts.size()));
    if (!a) return;
    std::erase_if(m_chosen, [&](const std::string& name) {
        return std::none_of(a->parts.begin(), a->parts.end(), [&](const scene::Part& p) { return p.name == name; });
    });
    const std::vector<std::string> joints = selectedJoints();
    const std::string id = a->id;
    const bool one = m_chosen.size() == 1;
    const auto chosen = [&]() -> const scene::Part* {
        for (const scene::Part& p : a->parts)
            if (one && p.name == m_chosen.front()) return &p;
        return nullptr;
    }();
    const bool splits = chosen && joints.size() == 1 && joints.front() != chosen->joints.front() &&
                        std::find(chosen->joints.begin(), chosen->joints.end(), joints.front()) != chosen->joints.end();
    addButtons(
        rows(),
        {{QStringLiteral("part-new"), tr("New part"), tr("Makes a part of the selected joints"),
          [this, id, joints] {
              const scene::ActorEntry* now = m_document.scene().actor(id);
              const rig::Skeleton& k = now->actor->skeleton;
              std::string stem = rig::partName(rig::plainName(k, k.find(joints.front()))), name = stem;
              for (int n = 2;
                   std::any_of(now->parts.begin(), now->parts.end(), [&](const scene::Part& p) { return p.name == name; }); ++n)
                  name = stem + " " + std::to_string(n);
              if (attempt(tr("Part %1").arg(qs(name)), [&](scene::Scene& s) { return edit::addPart(s, id, name, joints); })) {
                  m_chosen = {name};
                  refresh();
              }
          },
          !joints.empty()},
         {QStringLiteral("part-merge"), tr("Merge"), tr("Makes one part of those that are chosen (Ctrl and click chooses more)"),
          [this, id] { attempt(tr("Merge parts"), [&](scene::Scene& s) { return edit::mergeParts(s, id, m_chosen); }); },
          m_chosen.size() > 1},
         {QStringLiteral("part-split"), tr("Split"), tr("What hangs on the selected joint becomes a part of its own"),
          [this, id, joints] {
              const std::string part = m_chosen.front();
              std::string name = part + " below";
              attempt(tr("Split %1").arg(qs(part)),
                      [&](scene::Scene& s) { return edit::splitPart(s, id, part, joints.front(), name); });
          },
          splits},
         {QStringLiteral("part-rename"), tr("Rename"), tr("Another name for the part"),
          [this, id] {
              for (ListRow* row : findChildren<ListRow*>(QStringLiteral("part")))
                  if (row->text().toStdString() == m_chosen.front())
                      askForName(row, [this, id, was = m_chosen.front()](const QString& name) {
                          if (attempt(tr("Rename to %1").arg(name),
                                      [&](scene::Scene& s) { return edit::renamePart(s, id, was, name.toStdString()); }))
                              m_chosen = {name.toStdString()};
                          refresh();
                      });
          },
          one},
         {QStringLiteral("part-rigid"), chosen && chosen->rigid ? tr("Not rigid") : tr("Rigid"),
          tr("What is rigid is not to be deformed: the check tells where it is"),
          [this, id, rigid = chosen && !chosen->rigid] {
              attempt(tr("Rigid"), [&](scene::Scene& s) { return edit::markRigid(s, id, m_chosen.front(), rigid); });
          },
          one},
         {QStringLiteral("part-fit"), tr("Colliders"), tr("Fits colliders to it as its mesh is, for what keeps clear of it"),
          [this, id] {
              std::vector<std::string> on;
              for (const scene::Part& p : m_document.scene().actor(id)->parts)
                  if (std::find(m_chosen.begin(), m_chosen.end(), p.name) != m_chosen.end())
                      on.insert(on.end(), p.joints.begin(), p.joints.end());
              scene::Scene fitted = m_document.scene();
              const int count = edit::fitColliders(fitted, id, on);
              if (count == 0) return Q_EMIT said(tr("No joint of it carries skin without having a collider already."));
              m_document.edit(tr("Fit colliders"), [&](scene::Scene& s) { s = fitted; });
              Q_EMIT said(tr("Fitted %n collider(s) to it.", nullptr, count));
          },
          !m_chosen.empty()},
         {QStringLiteral("part-remove"), tr("Forget"), tr("Forgets the part; its joints stay"),
          [this, id] {
              attempt(tr("Forget a part"), [&](scene::Scene& s) -> Result<Done> {
                  for (const std::string& name : m_chosen)
                      if (auto done = edit::removePart(s, id, name); !done) return done;
                  return Done{};
              });
          },
          !m_chosen.empty()}});
    if (a->parts.empty())
        addText(tr("A part is a set of joints with a name. A click selects them; layers are put on many parts at once."));
    for (const scene::Part& p : a->parts) layAccepted(*a, p);
    laySuggested(*a);
    layRoles(*a);
}

}  // namespace nutatio::app
