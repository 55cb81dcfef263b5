#include "cli/commands.h"

#include <unistd.h>

#include <CLI/CLI.hpp>
#include <iomanip>
#include <iostream>
#include <nlohmann/json.hpp>
#include <set>

#include "base/arguments.h"
#include "cli/loops.h"
#include "cli/segments.h"
#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/operations.h"
#include "edit/takes.h"
#include "files/bytes.h"
#include "files/csv.h"
#include "files/json.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/check.h"
#include "measure/in_shot.h"
#include "measure/response.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "scene/items.h"

namespace nutatio::cli {

namespace {

using files::Json;

/// A mistake in the arguments, as against one in a file.
struct BadArguments {
    std::string sentence;
};

struct Options {
    std::string input, kind, out, clip, shot, as, range, actor;
    std::vector<std::string> layers, operations, gauges;
    double fps = 0, tolerance = -1;
    bool json = false, markdown = false;
};

constexpr const char* kVersion = "nutatio-cli " NUTATIO_VERSION;

class Commands {
  public:
    Commands(const Options& options, std::ostream& out, std::ostream& err, const Cancel& cancel)
        : m_options(options), m_out(out), m_err(err), m_cancel(cancel) {}

    void info();
    void describe();
    void bake();
    void measure();
    /// False when nothing is broken.
    bool check();
    void loops();
    void segments();
    void edit();
    void gauge();

  private:
    pipeline::Opened openInput();
    void addLayer(scene::Scene& scene, const std::string& text);
    void addGauge(scene::Scene& scene, const std::string& text);
    pipeline::BakeOptions bakeOptions(const scene::Scene& scene) const;
    void print(const Json& j) { m_out << j.dump(2, ' ', false, Json::error_handler_t::replace) << "\n"; }
    void warn(const std::vector<std::string>& warnings) {
        for (const std::string& w : warnings) m_err << "warning: " << w << "\n";
    }

    const Options& m_options;
    std::ostream& m_out;
    std::ostream& m_err;
    const Cancel& m_cancel;
};

Json actorJson(const rig::Actor& a) {
    Json joints = Json::array(), meshes = Json::array(), clips = Json::array();
    for (int j = 0; j < a.skeleton.size(); ++j) {
        const rig::Joint& joint = a.skeleton.joint(j);
        joints.push_back({{"index", j},
                          {"name", joint.name},
                          {"parent", joint.parent},
                          {"skinned", static_cast<bool>(a.isSkinJoint[static_cast<std::size_t>(j)])}});
    }
    for (const rig::Mesh& m : a.meshes) {
        std::size_t vertices = 0, triangles = 0, morphs = 0;
        for (const rig::Primitive& p : m.primitives) {
            vertices += p.positions.size();
            triangles += p.triangles.size() / 3;
            morphs = std::max(morphs, p.morphs.size());
        }
        meshes.push_back({{"name", m.name}, {"vertices", vertices}, {"triangles", triangles}, {"morphTargets", morphs}});
    }
    for (std::size_t c = 0; c < a.clips.size(); ++c)
        clips.push_back({{"name", a.clips[c].name},
                         {"start", a.clips[c].start},
                         {"end", a.clips[c].end},
                         {"seconds", a.clips[c].seconds()},
                         {"channels", a.clips[c].channels.size()}});
    return {{"name", a.name},          {"file", a.source.path}, {"height", a.height}, {"metresPerUnit", a.metresPerUnit},
            {"skins", a.skins.size()}, {"joints", joints},      {"meshes", meshes},   {"clips", clips}};
}

void printActor(std::ostream& out, const rig::Actor& a) {
    std::size_t triangles = 0;
    for (const rig::Mesh& m : a.meshes)
        for (const rig::Primitive& p : m.primitives) triangles += p.triangles.size() / 3;
    out << a.name << "\n  joints  " << a.skeleton.size() << "\n  skins   " << a.skins.size() << "\n  meshes  " << a.meshes.size()
        << " (" << triangles << " triangles)\n";
    out << "  height  " << a.height * a.metresPerUnit << " m\n  clips   " << a.clips.size() << "\n";
    for (std::size_t c = 0; c < a.clips.size(); ++c)
        out << "    " << a.clipLabel(static_cast<int>(c)) << "  " << a.clips[c].seconds() << " s\n";
}

Json shotsJson(const scene::Scene& scene) {
    Json out = Json::array();
    for (const scene::Shot& s : scene.shots)
        out.push_back({{"id", s.id}, {"name", s.name}, {"fps", s.fps}, {"lead", s.lead}, {"frames", scene.frames(s)}});
    return out;
}

Json takesJson(const scene::Scene& scene) {
    Json out = Json::array();
    for (const scene::Take& t : scene.takes)
        out.push_back({{"id", t.id}, {"name", t.name}, {"note", t.note}, {"differs", edit::differences(scene, *t.scene)}});
    return out;
}

void Commands::info() {
    const pipeline::Opened opened = openInput();
    if (m_options.json) {
        Json actors = Json::array(), layers = Json::array();
        double seconds = 0;
        for (const scene::ActorEntry& a : opened.scene.actors) {
            actors.push_back(actorJson(*a.actor));
            for (const rig::Clip& c : a.actor->clips) seconds = std::max(seconds, c.seconds());
        }
        for (const scene::Layer& l : opened.scene.layers)
            layers.push_back({{"id", l.id}, {"kind", l.kind}, {"name", l.name}, {"actor", l.actor}});
        Json j = opened.isScene ? Json{{"kind", "scene"},
                                       {"fps", opened.scene.shot().fps},
                                       {"shots", shotsJson(opened.scene)},
                                       {"actors", actors},
                                       {"layers", layers},
                                       {"colliders", opened.scene.colliders.size()},
                                       {"winds", opened.scene.winds.size()},
                                       {"pins", opened.scene.pins.size()},
                                       {"takes", takesJson(opened.scene)}}
                                : actors.front();
        if (!opened.isScene)
            j["kind"] = opened.scene.actors.front().actor->source.format == rig::SourceDocument::Format::Bvh ? "bvh" : "gltf";
        j["seconds"] = seconds;
        j["warnings"] = opened.warnings;
        print(j);
        return;
    }
    for (const scene::ActorEntry& a : opened.scene.actors) printActor(m_out, *a.actor);
    for (const scene::Layer& l : opened.scene.layers) m_out << "layer " << l.name << "  " << l.kind << "\n";
    for (const scene::Take& t : opened.scene.takes) {
        m_out << "take " << t.name << (t.note.empty() ? "" : "  " + t.note) << "\n";
        for (const std::string& d : edit::differences(opened.scene, *t.scene)) m_out << "    " << d << "\n";
    }
    for (const std::string& w : opened.warnings) m_out << "warning: " << w << "\n";
}

const char* typeName(scene::SettingType t) {
    switch (t) {
        case scene::SettingType::Number:
            return "number";
        case scene::SettingType::Axes:
            return "axes";
        case scene::SettingType::Joint:
            return "joint";
        case scene::SettingType::Mount:
            return "mount";
        case scene::SettingType::Joints:
            return "joints";
        case scene::SettingType::Choice:
            return "choice";
        case scene::SettingType::Colliders:
            return "colliders";
        case scene::SettingType::Region:
            return "region";
        case scene::SettingType::Clip:
            return "clip";
    }
    return "";
}

void Commands::describe() {
    std::vector<const layers::LayerKind*> kinds;
    for (const layers::LayerKind* k : layers::kinds())
        if (m_options.kind.empty() || k->id == m_options.kind) kinds.push_back(k);
    if (kinds.empty()) throw BadArguments{"there is no layer kind \"" + m_options.kind + "\""};
    Json all = Json::array();
    for (const layers::LayerKind* k : kinds) {
        if (!m_options.json)
            m_out << (m_options.markdown ? "## " : "") << k->label << (m_options.markdown ? "\n\n" : "  ") << k->help << "\n";
        if (m_options.markdown) m_out << "\n| id | label | unit | range | default | what it does |\n|---|---|---|---|---|---|\n";
        Json settings = Json::array();
        for (const scene::SettingSpec& s : k->settings) {
            const bool number = s.type == scene::SettingType::Number;
            std::ostringstream range, start;
            if (number) {
                range << s.range.low << " to " << s.range.high;
                start << s.start;
            } else {
                if (s.type == scene::SettingType::Choice) {
                    for (std::string_view c : choicesOf(s)) range << (range.str().empty() ? "" : " or ") << c;
                    start << choicesOf(s).front();
                } else {
                    range << typeName(s.type);
                    start << (s.type == scene::SettingType::Axes && s.axes.empty() ? "none" : s.axes);
                }
            }
            if (m_options.json) {
                Json j{{"id", s.id}, {"label", s.label}, {"type", typeName(s.type)}, {"unit", scene::unitText(s.unit)}};
                if (number) {
                    j["range"] = {s.range.low, s.range.high};
                    j["soft"] = {s.soft.low, s.soft.high};
                    j["default"] = s.start;
                } else if (s.type == scene::SettingType::Choice) {
                    j["choices"] = choicesOf(s);
                    j["default"] = choicesOf(s).front();
                } else {
                    j["default"] = s.axes;
                }
                j["keyable"] = s.keyable;
                j["profiled"] = s.profiled;
                j["help"] = s.help;
                if (!s.more.empty()) j["more"] = s.more;
                settings.push_back(std::move(j));
            } else if (m_options.markdown) {
                m_out << "| `" << s.id << "` | " << s.label << " | " << scene::unitText(s.unit) << " | " << range.str() << " | "
                      << start.str() << " | " << s.help << " " << s.more << (s.keyable ? " May be keyed." : "")
                      << (s.profiled ? " May have a profile." : "") << " |\n";
            } else {
                m_out << "  " << std::left << std::setw(13) << s.id << ' ' << std::setw(14) << range.str() << ' ' << std::setw(6)
                      << scene::unitText(s.unit) << " default " << std::setw(5) << start.str() << ' ' << s.help << "\n";
            }
        }
        if (m_options.markdown) m_out << "\n";
        all.push_back({{"id", k->id}, {"label", k->label}, {"help", k->help}, {"target", k->target()}, {"settings", settings}});
    }
    if (m_options.json) print(all);
}

void Commands::addGauge(scene::Scene& scene, const std::string& text) {
    const std::string& actor = m_options.actor.empty() ? scene.actors.front().id : m_options.actor;
    const std::size_t colon = std::min(text.find(':'), text.size());
    const auto bad = [&](const std::string& why) { return BadArguments{"--gauge " + text + ": " + why}; };
    std::map<std::string, std::string> given;
    for (const std::string& pair : argumentsIn(colon < text.size() ? std::string_view(text).substr(colon + 1) : "")) {
        const std::size_t equals = pair.find('=');
        if (equals == std::string::npos) throw bad("\"" + pair + "\" is not of the form key=value");
        given[pair.substr(0, equals)] = pair.substr(equals + 1);
    }
    const scene::ActorEntry& entry = *std::as_const(scene).actor(actor);
    if (entry.actor->skeleton.find(given["joint"]) == rig::kNoJoint) throw bad("there is no joint \"" + given["joint"] + "\"");
    const std::string id = edit::addGauge(scene, actor, given["joint"], text.substr(0, colon));
    if (id.empty()) throw bad("no gauge measures \"" + text.substr(0, colon) + "\"");
    for (const auto& [key, value] : given) {
        if (key == "joint") continue;
        if (key == "to") {
            if (const auto done = edit::measureTo(scene, id, actor, value); !done) throw bad(done.error().sentence);
        } else if (key == "after") {
            if (const auto done = edit::readAfter(scene, id, value); !done) throw bad(done.error().sentence);
        } else {
            const scene::SettingSpec* row = scene::findRow(scene::gaugeTable(), key);
            if (!row) throw bad("a gauge has no setting \"" + key + "\"");
            const auto parsed = layers::parseValue(*row, value, *entry.actor);
            if (!parsed) throw bad(parsed.error().sentence);
            scene.gauge(id)->set(key, parsed.value());
        }
    }
}

void Commands::gauge() {
    pipeline::Opened opened = openInput();
    scene::Scene& scene = opened.scene;
    warn(opened.warnings);
    if (scene.actors.empty()) throw BadArguments{"there is no actor to measure"};
    if (!m_options.shot.empty()) {
        const scene::Shot* shot = scene.findShot(m_options.shot);
        if (!shot) throw BadArguments{"there is no shot \"" + m_options.shot + "\""};
        scene.shown = shot->id;
    }
    if (m_options.fps != 0 && !(m_options.fps >= 1 && m_options.fps <= 1000)) throw BadArguments{"--fps lies between 1 and 1000"};
    if (m_options.fps > 0) edit::setRate(scene, m_options.fps);
    for (const std::string& layer : m_options.layers) addLayer(scene, layer);
    if (!m_options.gauges.empty()) scene.gauges = {};
    for (const std::string& each : m_options.gauges) addGauge(scene, each);
    if (scene.gauges.empty()) throw BadArguments{"the input has no gauge; say what to measure with --gauge"};
    pipeline::Evaluator evaluator;
    const pipeline::Evaluation made = evaluator.evaluate(scene, m_cancel);
    Json gauges = Json::array();
    for (std::size_t i = 0; i < scene.gauges.size(); ++i) {
        const pipeline::GaugeReading& read = *made.gauges[i];
        const std::string unit(scene::unitText(scene::unitOf(scene.gauges[i])));
        if (!read.problem.empty()) m_err << "warning: " << scene.gauges[i].name << ": " << read.problem << "\n";
        gauges.push_back({{"id", scene.gauges[i].id},
                          {"name", scene.gauges[i].name},
                          {"unit", unit},
                          {"values", read.values},
                          {"problem", read.problem}});
    }
    if (m_options.json) return print({{"fps", scene.shot().fps}, {"frames", scene.frames(scene.shot())}, {"gauges", gauges}});
    const std::string csv = files::csvOf(pipeline::tableOf(scene, made.gauges));
    if (m_options.out.empty())
        m_out << csv;
    else
        files::writeAtomically(m_options.out, csv.data(), csv.size());
}

pipeline::Opened Commands::openInput() {
    auto opened = pipeline::open(m_options.input);
    if (!opened) throw Failure(opened.error());
    const scene::Scene& scene = opened.value().scene;
    // A scene none of whose actors could be read is of no use without a screen.
    if (scene.actors.empty() && !scene.unread.empty()) throw Failure(Error{m_options.input, "", scene.unread.front().why});
    if (!m_options.actor.empty() && !scene.actor(m_options.actor))
        throw BadArguments{"there is no actor \"" + m_options.actor + "\""};
    return std::move(opened.value());
}

void Commands::addLayer(scene::Scene& scene, const std::string& text) {
    const std::size_t colon = std::min(text.find(':'), text.size());
    const layers::LayerKind* kind = layers::findKind(text.substr(0, colon));
    if (!kind) throw BadArguments{"--layer " + text + ": there is no layer kind \"" + text.substr(0, colon) + "\""};
    const scene::ActorEntry* actor =
        m_options.actor.empty() ? (scene.actors.empty() ? nullptr : &scene.actors.front()) : scene.actor(m_options.actor);
    if (!actor) throw BadArguments{"--layer " + text + ": there is no actor to put it on"};
    scene::Layer layer = layers::newLayer(*kind, scene, *actor, {});
    const std::string rest = colon < text.size() ? text.substr(colon + 1) : "";
    std::set<std::string_view> given;
    for (const std::string& pair : argumentsIn(rest)) {
        if (pair.empty()) continue;
        const std::size_t equals = pair.find('=');
        if (equals == std::string::npos)
            throw BadArguments{"--layer " + text + ": \"" + pair + "\" is not of the form key=value"};
        const scene::SettingSpec* spec = kind->setting(pair.substr(0, equals));
        if (!spec)
            throw BadArguments{"--layer " + text + ": a " + std::string(kind->id) + " has no setting \"" +
                               pair.substr(0, equals) + "\""};
        if (!given.insert(spec->id).second)
            throw BadArguments{"--layer " + text + ": \"" + std::string(spec->id) + "\" is given twice"};
        auto value = layers::parseValue(*spec, pair.substr(equals + 1), *actor->actor);
        if (!value) throw BadArguments{"--layer " + text + ": " + value.error().text()};
        layer.set(spec->id, std::move(value.value()));
    }
    if (const auto problem = kind->problem(*actor->actor, layer)) throw BadArguments{"--layer " + text + ": " + *problem};
    scene.layers.push_back(std::move(layer));
}

pipeline::BakeOptions Commands::bakeOptions(const scene::Scene& scene) const {
    pipeline::BakeOptions o;
    o.actor = m_options.actor;
    if (!m_options.clip.empty()) o.clip = m_options.clip;
    if (!m_options.shot.empty()) o.shot = m_options.shot;
    if (o.shot && o.clip) throw BadArguments{"--shot and --clip cannot both be given"};
    if (!m_options.as.empty()) o.beside = m_options.as;
    if (m_options.fps != 0 && !(m_options.fps >= 1 && m_options.fps <= 1000))
        throw BadArguments{"--fps must lie between 1 and 1000"};
    o.fps = m_options.fps;
    // A BVH is one block of frames: written back as BVH it keeps its own grid unless another is asked for.
    const bool bvhOut = m_options.out.size() > 4 && m_options.out.substr(m_options.out.size() - 4) == ".bvh";
    if (o.fps == 0 && bvhOut && !scene.actors.empty() && !scene.actors.front().actor->clips.empty()) {
        const rig::Clip& c = scene.actors.front().actor->clips.front();
        const std::size_t keys = c.channels.empty() ? 0 : c.channels.front().times.size();
        if (keys > 1 && c.seconds() > 0) o.fps = static_cast<double>(keys - 1) / c.seconds();
    }
    if (m_options.tolerance >= 0) o.tolerance = {m_options.tolerance, m_options.tolerance / 0.05 * 0.0001};
    if (!m_options.range.empty()) {
        char colon = 0;
        std::istringstream text(m_options.range);
        if (!(text >> o.firstFrame >> colon >> o.lastFrame) || colon != ':' || !text.eof() || o.firstFrame < 1 ||
            o.lastFrame < o.firstFrame)
            throw BadArguments{"--range is two frames, such as 1:48"};
    }
    return o;
}

void Commands::bake() {
    pipeline::Opened opened = openInput();
    if (!opened.isScene && m_options.layers.empty()) throw BadArguments{"bake needs --layer when its input is not a scene"};
    for (const std::string& l : m_options.layers) addLayer(opened.scene, l);
    warn(opened.warnings);
    pipeline::Evaluator evaluator;
    const bool watched = isatty(STDERR_FILENO) && &m_err == &std::cerr;
    const auto progress = [&](double p) {
        if (watched)
            m_err << "\rbaking " << static_cast<int>(p * 100) << " % " << (p >= 1 ? "\r             \r" : "") << std::flush;
    };
    const auto baked = pipeline::bake(opened.scene, bakeOptions(opened.scene), m_options.out, evaluator, m_cancel, progress);
    if (!baked) {
        // A clip, actor or range that is not there names no file: the caller's slip.
        if (baked.error().file.empty()) throw BadArguments{baked.error().sentence};
        throw Failure(baked.error());
    }
    const pipeline::BakeReport& r = baked.value();
    if (m_options.json) {
        Json clips = Json::array();
        for (const auto& c : r.clips)
            clips.push_back({{"name", c.name},
                             {"frames", c.frames},
                             {"joints", c.joints},
                             {"keys", c.keys},
                             {"keysWithoutReduction", c.framesKeys},
                             {"errorDeg", c.errorDeg},
                             {"errorShareOfHeight", c.errorShare}});
        print({{"out", m_options.out}, {"clips", clips}, {"warnings", r.warnings}});
        return;
    }
    warn(r.warnings);
    for (const auto& c : r.clips)
        m_out << c.name << ": " << c.frames << " frames, " << c.joints << " joints moved, " << c.keys << " keys (of "
              << c.framesKeys << ")\n";
    m_out << "wrote " << m_options.out << "\n";
}

void Commands::measure() {
    pipeline::Opened opened = openInput();
    for (const std::string& l : m_options.layers) addLayer(opened.scene, l);
    warn(opened.warnings);
    Json all = Json::array();
    pipeline::Evaluator evaluator;
    std::optional<pipeline::Evaluation> shot;
    for (const scene::Layer& l : opened.scene.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        const scene::ActorEntry* entry = opened.scene.actor(l.actor);
        if (!kind || !entry || (!m_options.actor.empty() && entry->id != m_options.actor)) continue;
        if (!kind->simulated) {
            // Kinds that are not simulated are measured in the shot.
            if (!shot) shot = evaluator.evaluate(opened.scene, m_cancel);
            const auto below = shot->below(l.id), above = shot->above(l.id);
            const pipeline::LayerResult* r = shot->layer(l.id);
            const std::string words = r && !r->said.empty() ? r->said
                                      : below ? measure::askedAndGot(*kind, opened.scene, *entry, l, r->settings, *below, *above)
                                              : std::string();
            if (m_options.json)
                all.push_back({{"layer", l.id}, {"kind", l.kind}, {"name", l.name}, {"measured", words}});
            else
                m_out << l.name << " (" << l.kind << "): " << (words.empty() ? "the motion of the shot does not tell" : words)
                      << "\n";
            continue;
        }
        const auto r = measure::response(*kind, layers::LayerContext::bare(*entry->actor, l),
                                         scene::stand(opened.scene, opened.scene.shot(), *entry), m_cancel);
        if (!r) continue;
        const double mm = 1000 * entry->actor->metresPerUnit;
        if (m_options.json) {
            Json j{{"layer", l.id},
                   {"kind", l.kind},
                   {"name", l.name},
                   {"swing", r->swing},
                   {"bounces", r->bounces},
                   {"zeta", r->zeta},
                   {"restSeconds", r->restTime},
                   {"restFrames", r->restTime * opened.scene.shot().fps},
                   {"overshoot", r->overshoot},
                   {"settles", r->settles}};
            j[r->sagIsAngle ? "sagDeg" : "sagMm"] = r->sagIsAngle ? degrees(r->sag) : mm * r->sag;
            all.push_back(std::move(j));
        } else {
            m_out << l.name << " (" << l.kind << "): " << std::setprecision(4) << r->swing << " swings/s, " << r->bounces
                  << " bounces, rests in " << r->restTime * opened.scene.shot().fps << " frames, overshoots "
                  << 100 * r->overshoot << " %, sags " << (r->sagIsAngle ? degrees(r->sag) : mm * r->sag)
                  << (r->sagIsAngle ? " deg" : " mm") << "\n";
        }
    }
    if (m_options.json) print(all);
}

bool Commands::check() {
    pipeline::Opened opened = openInput();
    const std::vector<measure::Finding> findings = measure::check(opened.scene, m_cancel);
    bool broken = false;
    Json all = Json::array();
    int seen = 0;
    for (const measure::Finding& f : findings) {
        if (measure::isSeen(opened.scene, f)) {
            ++seen;
            continue;
        }
        broken = broken || f.severity == measure::Severity::Broken;
        if (!m_options.json) {
            m_out << std::left << std::setw(7) << measure::severityName(f.severity) << std::setw(15) << f.kind << f.sentence
                  << "\n";
            continue;
        }
        Json j{{"kind", f.kind}, {"severity", measure::severityName(f.severity)}, {"actor", f.actor}};
        if (!f.joint.empty()) j["joint"] = f.joint;
        if (!f.clip.empty()) j["clip"] = f.clip;
        if (f.first >= 0) j["frames"] = {f.first + 1, f.last + 1};
        j["size"] = f.size;
        j["unit"] = f.unit;
        j["sentence"] = f.sentence;
        if (!f.repair.empty()) j["repair"] = f.repair;
        all.push_back(std::move(j));
    }
    if (m_options.json)
        print({{"findings", all}, {"seen", seen}});
    else if (findings.size() == static_cast<std::size_t>(seen))
        m_out << "nothing found" << (seen > 0 ? " but what was seen and left" : "") << "\n";
    return broken;
}

void Commands::edit() {
    if (m_options.operations.empty() && m_options.out.empty()) {
        // Without anything to do it says what can be done.
        Json all = Json::array();
        for (const edit::Operation& o : edit::operations()) {
            if (m_options.json)
                all.push_back({{"name", o.name}, {"wants", o.wants}, {"takes", o.takes}, {"help", o.help}});
            else
                m_out << "  " << std::left << std::setw(17) << o.name << ' ' << std::setw(23) << o.wants << ' ' << std::setw(17)
                      << o.takes << ' ' << o.help << "\n";
        }
        if (m_options.json) print(all);
        return;
    }
    if (m_options.operations.empty() || m_options.out.empty() || m_options.input.empty())
        throw BadArguments{"edit wants INPUT, --do and --out; without any it lists the operations"};
    pipeline::Opened opened = openInput();
    warn(opened.warnings);
    Json made = Json::array();
    for (const std::string& o : m_options.operations) {
        const auto done = edit::carryOut(opened.scene, o);
        if (!done) throw BadArguments{"--do " + o + ": " + done.error().sentence};
        for (const edit::Made& m : done.value()) made.push_back({{"do", o}, {"list", m.list}, {"id", m.id}});
    }
    if (const auto written = files::writeScene(opened.scene, m_options.out); !written) throw Failure(written.error());
    if (m_options.json)
        print({{"out", m_options.out}, {"done", m_options.operations.size()}, {"made", made}});
    else {
        for (const Json& m : made)
            m_out << "made " << m["id"].get<std::string>() << " (" << m["list"].get<std::string>() << ")\n";
        m_out << "wrote " << m_options.out << "\n";
    }
}

void Commands::loops() {
    pipeline::Opened opened = openInput();
    for (const std::string& l : m_options.layers) addLayer(opened.scene, l);
    warn(opened.warnings);
    tellLoops(std::move(opened.scene), m_options.json, m_out, m_cancel);
}

void Commands::segments() {
    const pipeline::Opened opened = openInput();
    warn(opened.warnings);
    tellSegments(opened.scene, m_options.json, m_out);
}

/// What was printed must have arrived: a full disk is not "done".
int flushed(std::ostream& out, std::ostream& err, int code) {
    out.flush();
    if (out) return code;
    err << "nutatio-cli: the output could not be written in full\n";
    return kBadInput;
}

}  // namespace

int run(std::vector<std::string> arguments, std::ostream& out, std::ostream& err, const Cancel& cancel) {
    Options o;
    CLI::App app{"Nutatio without a screen: secondary motion on animated characters.", "nutatio-cli"};
    app.require_subcommand(1);
    app.set_version_flag("--version", kVersion);
    CLI::App* info = app.add_subcommand("info", "What is in a glTF or BVH file or a scene");
    CLI::App* describe = app.add_subcommand("describe", "Every layer kind and setting");
    CLI::App* bake = app.add_subcommand("bake", "Simulate and write keys back into the source's document");
    CLI::App* measure = app.add_subcommand("measure", "How each simulated layer answers a push");
    CLI::App* check = app.add_subcommand("check", "What is wrong with rigs and clips; exit 1 when something is broken");
    CLI::App* gauge = app.add_subcommand("gauge", "What gauges read of a shot, frame by frame, as CSV");
    CLI::App* loops = app.add_subcommand("loops", "Whether clips end as they begin, and how the layers of shots close");
    CLI::App* segments = app.add_subcommand("segments", "What bodies are made of when they are simulated as a whole");
    CLI::App* edit = app.add_subcommand("edit", "Change a scene by named operations, and write it; alone it lists them");
    for (CLI::App* c : {info, bake, measure, check, gauge, loops, segments, edit})
        c->add_option("INPUT", o.input, "A scene, glTF or BVH file")->required(c != edit);
    for (CLI::App* c : {info, describe, bake, measure, check, gauge, loops, segments, edit})
        c->add_flag("--json", o.json, "One JSON document on stdout");
    for (CLI::App* c : {bake, measure, gauge, loops}) {
        c->add_option("--layer", o.layers,
                      "KIND:key=value,... put on the input's actor; a comma within a value is written \\,; may be given again")
            ->allow_extra_args(false);
        c->add_option("--actor", o.actor, "Which actor of a scene");
    }
    edit->add_option("--do", o.operations, "NAME:key=value,... carried out in order; may be given again")
        ->allow_extra_args(false);
    edit->add_option("--out", o.out, "The scene file to write");
    describe->add_option("KIND", o.kind, "One kind only");
    describe->add_flag("--markdown", o.markdown, "As a page of the manual");
    bake->add_option("--out", o.out, "The file to write: .glb, .gltf, or .bvh for what came from BVH")->required();
    bake->add_option("--clip", o.clip, "One clip only, by name or #index");
    bake->add_option("--shot", o.shot, "One shot of a scene only, by name or id");
    bake->add_option("--as", o.as, "Write a new clip of this name beside the source's");
    gauge
        ->add_option(
            "--gauge", o.gauges,
            "MEASURE:joint=NAME,to=NAME,key=value,... on the input's actor; may be given again. Without any: the scene's")
        ->allow_extra_args(false);
    gauge->add_option("--out", o.out, "The CSV file to write; without it to stdout");
    gauge->add_option("--shot", o.shot, "Which shot of a scene, by name or id; the one on show without it");
    for (CLI::App* c : {bake, gauge}) c->add_option("--fps", o.fps, "Frame grid; 24 or the scene's without it");
    bake->add_option("--tolerance", o.tolerance, "Degrees a key curve may stray; 0 keys every frame")
        ->check([](const std::string& text) {
            const double v = std::strtod(text.c_str(), nullptr);
            return v >= 0 && v <= 1e6 ? std::string() : "a tolerance lies between 0 and 1000000 degrees";
        });
    bake->add_option("--range", o.range, "Frames A:B of the shot, counted from 1");
    try {
        std::reverse(arguments.begin(), arguments.end());
        app.parse(std::move(arguments));
    } catch (const CLI::Success& e) {
        app.exit(e, out, err);
        return flushed(out, err, kDone);
    } catch (const CLI::ParseError& e) {
        err << "nutatio-cli: " << e.what() << "\n";
        return kBadArguments;
    }
    Commands commands(o, out, err, cancel);
    try {
        if (*info) commands.info();
        if (*describe) commands.describe();
        if (*bake) commands.bake();
        if (*measure) commands.measure();
        if (*check && commands.check()) return flushed(out, err, kFindings);
        if (*gauge) commands.gauge();
        if (*loops) commands.loops();
        if (*segments) commands.segments();
        if (*edit) commands.edit();
    } catch (const BadArguments& b) {
        err << "nutatio-cli: " << b.sentence << "\n";
        return kBadArguments;
    } catch (const Failure& f) {
        err << f.error().text() << "\n";
        return kBadInput;
    } catch (const Cancelled&) {
        err << "nutatio-cli: stopped before the end; nothing was written\n";
        return kBadArguments;
    } catch (const std::exception& e) {
        err << unreadable(o.input, e).text() << "\n";
        return kBadInput;
    }
    return flushed(out, err, kDone);
}

}  // namespace nutatio::cli
