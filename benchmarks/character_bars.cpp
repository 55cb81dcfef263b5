// Prints what kinds make of characters that nobody here made: nutatio-character-bars [--each] [--only TRIAL]
// [--clip CLIP] [--strips FOLDER] [--zoo N] FILE|FOLDER ...; strips are rows of pictures.
#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <map>
#include <string>

#include "benchmarks/strip.h"
#include "edit/edit.h"
#include "edit/line.h"
#include "layers/registry.h"
#include "pipeline/open.h"
#include "rig/roles.h"
#include "tests/support/against_clip.h"
#include "tests/support/zoo.h"

namespace nutatio {

namespace {

/// What came of a trial on one character, at worst over its clips.
struct Worst {
    bool finite = true;
    double turned = 0, fastest = 0, over = 0;  // [deg], [heights/s], times the fastest of the clip
    void add(const test::AgainstClip& m) {
        finite = finite && m.finite;
        turned = std::max(turned, m.usuallyTurned);
        fastest = std::max(fastest, m.fastest);
        over = std::max(over, m.fastest / std::max(m.fastestBelow, 10 / kMostOver));
    }
    static constexpr double kMostOver = 1.5;
    bool kept() const { return finite && over < kMostOver; }
};
using Table = std::vector<std::pair<std::string, std::map<std::string, Worst>>>;

struct Trial {
    std::string name;
    bool everyClip;  // else the calmest alone
    std::function<void(scene::Scene&)> setUp;
};

std::string add(scene::Scene& s, std::string_view kind, const std::vector<std::string>& joints,
                const scene::Values& values = {}) {
    const std::string id = edit::addLayer(s, kind, s.actors[0].id, joints);
    for (const auto& [k, v] : values) s.layer(id)->set(k, v);
    return id;
}

std::string carrier(const scene::Scene& s) {
    const rig::Skeleton& skeleton = s.actors[0].actor->skeleton;
    const int root = rig::carrierOf(skeleton, rig::rolesOf(*s.actors[0].actor));
    return skeleton.reference(root == rig::kNoJoint ? skeleton.roots().front() : root);
}

/// The clip over and over until the shot has so many frames.
void lengthen(scene::Scene& s, int frames) {
    const int n = s.frames(s.shot());
    if (n >= frames) return;
    const std::string actor = s.actors[0].id;
    if (n > 2) (void)edit::repeatFrames(s, actor, 0, n - 1, frames / (n - 1) + 1);
}

void limp(scene::Scene& s, double from, double to, double in = 0, double out = 0) {
    lengthen(s, 240);
    add(s, "ragdoll", {});
    const std::string act = add(s, "act", {carrier(s)}, {{"act", std::string("limp")}});
    s.editShot().intervals[act] = {{from, to, in, out}};
}

std::vector<Trial> trials() {
    std::vector<Trial> out{
        {"balance", true, [](scene::Scene& s) { add(s, "balance", {}); }},
        {"over travel", true,
         [](scene::Scene& s) {
             add(s, "travel", {carrier(s)});
             add(s, "balance", {});
         }},
        {"ragdoll 30", true,
         [](scene::Scene& s) {
             add(s, "ragdoll", {}, {{"swing", 30.0}});
         }},
        {"ragdoll", true, [](scene::Scene& s) { add(s, "ragdoll", {}); }},
        {"limp", false, [](scene::Scene& s) { limp(s, 20 / 24.0, 1e3); }},
        {"limp ends", false, [](scene::Scene& s) { limp(s, 20 / 24.0, 120 / 24.0); }},
        {"limp eases", false, [](scene::Scene& s) { limp(s, 20 / 24.0, 120 / 24.0, 1, 1); }},
        {"recover", false,
         [](scene::Scene& s) {
             limp(s, 20 / 24.0, 120 / 24.0);
             const std::string act = add(s, "act", {carrier(s)}, {{"act", std::string("recover")}});
             s.editShot().intervals[act] = {{120 / 24.0, 160 / 24.0, 0, 0}};
         }},
        {"leap", true,
         [](scene::Scene& s) {
             lengthen(s, 120);
             add(s, "ragdoll", {});
             const double high = 0.3 * s.actors[0].actor->height * s.actors[0].actor->metresPerUnit;
             const std::string act = add(s, "act", {carrier(s)},
                                         {{"act", std::string("leap")}, {"off", std::string("by its legs")}, {"height", high}});
             s.editShot().intervals[act] = {{20 / 24.0, 3, 0, 0}};
         }},
    };
    const auto hold = [](scene::Scene& s) {
        const rig::Roles roles = rig::rolesOf(*s.actors[0].actor);
        std::vector<std::string> feet;
        for (const auto* limbs : {&roles.legs, &roles.arms})
            for (const rig::Limb& l : *limbs)
                if (l.found() && (limbs == &roles.legs || roles.fourLegged))
                    feet.push_back(s.actors[0].actor->skeleton.reference(l.end));
        add(s, "hold", feet);
    };
    out.push_back({"hold", true, hold});
    out.push_back({"hold, sway", true, [hold](scene::Scene& s) {
                       add(s, "sway", {carrier(s)}, {{"move", std::string("y")}, {"travel", 0.05}});
                       hold(s);
                   }});
    for (const layers::LayerKind* kind : layers::kinds())
        if (kind->id != "balance" && kind->id != "ragdoll" && kind->id != "act" && kind->id != "hold")
            out.push_back({std::string(kind->id), true, [kind](scene::Scene& s) {
                               const rig::Actor& a = *s.actors[0].actor;
                               if (kind->id == "fall") lengthen(s, 120);
                               add(s, kind->id,
                                   kind->takes == layers::Takes::Body ? std::vector<std::string>{}
                                                                      : std::vector<std::string>{a.skeleton.reference(
                                                                            a.skeleton.order()[a.skeleton.order().size() / 2])});
                           }});
    return out;
}

void tell(const std::string& file, const std::string& clip, const std::string& trial, const test::AgainstClip& m,
          const std::string& said) {
    std::printf(
        "%-22.22s %-16.16s %-12.12s %s%6.1f %6.1f  feet %5.1f  fast %6.1f (%5.1f)  deep %5.1f (%4.1f)  rough %6.2f  rise %5.1f  "
        "creep %5.2f  jolt %5.1f  %s\n",
        file.c_str(), clip.c_str(), trial.c_str(), m.finite ? "" : "NOT FINITE ", m.turned, m.usuallyTurned, 100 * m.footOff,
        m.fastest, m.fastestBelow, 100 * m.deepest, 100 * m.deepestBelow, m.rougher, 100 * m.rises, 100 * m.creeps, m.jolt,
        said.c_str());
    std::fflush(stdout);
}

void character(const std::filesystem::path& file, const std::string& only, const std::string& onlyClip, const std::string& strips,
               bool each, Table& table) {
    const auto opened = pipeline::open(file);
    if (!opened) return;
    const scene::Scene& start = opened.value().scene;
    if (start.actors.empty()) return;
    table.emplace_back(file.stem().string(), std::map<std::string, Worst>());
    for (const Trial& t : trials()) {
        if (!only.empty() && t.name != only) continue;
        int told = 0;
        for (const scene::Shot& shot : start.shots) {
            if (!onlyClip.empty() && shot.name != onlyClip) continue;
            if (told++ > 0 && !t.everyClip && onlyClip.empty()) break;
            scene::Scene s = start;
            s.shown = shot.id;
            t.setUp(s);
            pipeline::Evaluator evaluator;
            const pipeline::Evaluation e = evaluator.evaluate(s, {});
            if (!strips.empty())
                writeStrip(strips + "/" + file.stem().string() + "-" + t.name + "-" + shot.name + ".ppm", s, e, 18, 0.9);
            std::string said;
            for (const auto& l : e.actors[0].layers) {
                if (!l.problem.empty()) said += "[" + l.problem + "] ";
                if (!l.said.empty()) said += l.said + "; ";
                for (const std::string& r : l.remarks) said += r + "; ";
            }
            const test::AgainstClip m = test::againstClip(s, e);
            table.back().second[t.name].add(m);
            if (each) tell(file.stem().string(), shot.name, t.name, m, said);
        }
    }
}

/// Characters by trials: the turn off the clip that 95 % of the frames stay under [deg], and the fastest joint [heights/s]; what
/// is faster than 10 and half as fast again as its clip, or no number, is marked.
bool print(const Table& table) {
    bool kept = true;
    std::printf("%-18s", "deg off / heights/s");
    for (const Trial& t : trials()) std::printf(" %11.11s", t.name.c_str());
    for (const auto& [name, worst] : table) {
        std::printf("\n%-18.18s ", name.c_str());
        for (const Trial& t : trials()) {
            const auto at = worst.find(t.name);
            if (at == worst.end()) {
                std::printf(" %11s", "");
                continue;
            }
            kept = kept && at->second.kept();
            std::printf(" %5.1f/%4.1f%c", at->second.turned, at->second.fastest, at->second.kept() ? ' ' : '!');
        }
    }
    std::printf(kept ? "\nall are finite, none throws its joints\n" : "\nwhat is marked ! is not kept\n");
    return kept;
}

}  // namespace

}  // namespace nutatio

int main(int argc, char** argv) {
    std::vector<std::filesystem::path> files;
    std::string only, clip, strips;
    unsigned zoo = 0;
    bool each = false;
    nutatio::Table table;
    for (int k = 1; k < argc; ++k) {
        const std::string a = argv[k];
        if (a == "--each")
            each = true;
        else if (a == "--only" && k + 1 < argc)
            only = argv[++k];
        else if (a == "--clip" && k + 1 < argc)
            clip = argv[++k];
        else if (a == "--strips" && k + 1 < argc)
            strips = argv[++k];
        else if (a == "--zoo" && k + 1 < argc)
            zoo = static_cast<unsigned>(std::stoi(argv[++k]));
        else if (std::filesystem::is_directory(a)) {
            for (const auto& entry : std::filesystem::recursive_directory_iterator(a)) {
                const std::string type = entry.path().extension().string();
                if (type == ".glb" || type == ".gltf" || type == ".bvh") files.push_back(entry.path());
            }
        } else
            files.emplace_back(a);
    }
    std::sort(files.begin(), files.end());
    for (const auto& file : files) nutatio::character(file, only, clip, strips, each, table);
    const auto folder = std::filesystem::temp_directory_path() / "nutatio-zoo";
    std::filesystem::create_directories(folder);
    for (unsigned k = 0; k < zoo; ++k) {
        const auto file = folder / ("zoo" + std::to_string(k) + ".glb");
        const std::string said = nutatio::test::writeAnimal(file, k);
        if (each) std::printf("%s\n", said.c_str());
        nutatio::character(file, only, clip, strips, each, table);
    }
    return nutatio::print(table) ? 0 : 1;
}
