#include "pipeline/readings.h"

#include <algorithm>

#include "measure/gauge.h"
#include "pipeline/context.h"
#include "scene/items.h"

namespace nutatio::pipeline {

std::vector<files::CsvColumn> tableOf(const scene::Scene& scene, const std::vector<GaugeReadingPtr>& gauges) {
    std::vector<files::CsvColumn> out{{"frame", {}}, {"seconds", {}}};
    std::size_t rows = 0;
    for (const GaugeReadingPtr& reading : gauges) {
        const scene::Gauge* g = scene.gauge(reading->id);
        if (!g) continue;
        const std::string unit(scene::unitText(scene::unitOf(*g)));
        out.push_back({g->name + (unit.empty() ? "" : " [" + unit + "]"), reading->values});
        rows = std::max(rows, reading->values.size());
    }
    for (std::size_t f = 0; f < rows; ++f) {
        out[0].values.push_back(static_cast<double>(f) + 1);
        out[1].values.push_back(scene.shot().timeOf(static_cast<int>(f)));
    }
    return out;
}

Readings::Readings(const scene::Scene& scene, const scene::Shot& shot, int frames, MotionAfter motion, Memo& memo)
    : m_scene(scene), m_shot(shot), m_frames(frames), m_motion(std::move(motion)), m_memo(memo) {}

std::size_t Readings::wants(const scene::Gauge& g) const {
    if (g.after.empty()) return 0;
    const std::size_t at = m_scene.layers.find([&](const scene::Layer& l) { return l.id == g.after; });
    return at < m_scene.layers.size() ? at + 1 : 0;
}

GaugeReadingPtr Readings::of(const scene::Gauge& gauge) {
    if (const auto at = m_read.find(gauge.id); at != m_read.end()) return at->second;
    const auto keep = [&](GaugeReading r) {
        r.id = gauge.id;
        return m_read[gauge.id] = std::make_shared<const GaugeReading>(std::move(r));
    };
    Hasher h;
    measure::Sight sight;
    std::vector<std::shared_ptr<const rig::Track>> held;  // what the sight points to
    std::string missing;
    const auto look = [&](const scene::Mount& mount, measure::Seen& into, bool all) {
        const scene::ActorEntry* a = m_scene.actor(mount.actor);
        const auto on = a ? found(m_scene, mount) : std::nullopt;
        if (!on) {
            missing = a ? "there is no joint \"" + mount.joint + "\"" : "its actor is not there";
            return;
        }
        into.on = *on;
        const Motion motion = m_motion(*a, gauge.after);
        held.push_back(motion.track);
        into.actor = a->actor.get();
        into.track = motion.track.get();
        into.placement = scene::placementOf(*a);
        sight.round |= motion.loops && &into == &sight.of;
        h.key(a->actor->content).number(static_cast<std::uint64_t>(into.on.joint)).number(mount.turns);
        h.bytes(into.placement.turn.coeffs().data(), 4 * sizeof(double)).bytes(into.placement.place.data(), 3 * sizeof(double));
        h.real(into.placement.metres);
        if (on->spot) h.bytes(mount.spot->data(), 3 * sizeof(double)).key(motion.surface);
        if (all || on->spot)
            for (const Key& k : motion.keys) h.key(k);
        else
            for (int j = into.on.joint; j != rig::kNoJoint; j = a->actor->skeleton.joint(j).parent)
                h.key(motion.keys[static_cast<std::size_t>(j)]);
    };
    // Its feet or its whole body may be looked at too.
    const bool all = gauge.text("measure") == "mass" || gauge.text("ground") == "found" || gauge.text("from") == "root";
    look(gauge.of, sight.of, all);
    if (missing.empty() && gauge.to) look(*gauge.to, sight.to, false);
    if (missing.empty())
        for (const std::string& id : gauge.over) {
            const scene::Collider* c = m_scene.collider(id);
            if (!c) continue;
            measure::Under under{
                std::make_shared<const scene::Resolved>(*c, scene::colliderTable(), m_shot.keysOf({scene::List::Colliders, id}),
                                                        m_shot.fps, m_frames, nullptr, m_shot.period(m_frames)),
                {}};
            under.settings->hash(h);
            if (!c->mount.world()) look(c->mount, under.rides, false);
            sight.over.push_back(std::move(under));
        }
    if (!missing.empty()) return keep({{}, {}, missing, false});
    scene::Resolved(gauge, scene::gaugeTable()).hash(h);
    h.text(gauge.id);  // a copy of it reads the same, under its own name
    for (double c : m_shot.cuts) sight.cuts.push_back(m_shot.frameOf(c));
    for (int c : sight.cuts) h.number(static_cast<std::uint64_t>(c));
    h.number(static_cast<std::uint64_t>(m_frames)).real(m_shot.fps).number(sight.round);
    const Key key = h.done();
    if (const auto known = m_memo.find(key); known != m_memo.end()) return m_read[gauge.id] = known->second;
    const auto read = measure::readGauge(gauge, sight);
    const GaugeReadingPtr made =
        keep(read ? GaugeReading{{}, read.value(), {}, sight.round && gauge.text("measure") != "travel" && sight.cuts.empty()}
                  : GaugeReading{{}, {}, read.error().sentence, false});
    constexpr std::size_t kMostMemos = 2000;
    if (m_memo.size() > kMostMemos) m_memo.clear();
    m_memo[key] = made;
    return made;
}

bool Readings::ready(const scene::Tuned& tuned, std::size_t at) const {
    return std::all_of(tuned.feeds.begin(), tuned.feeds.end(), [&](const auto& feed) {
        const scene::Gauge* g = m_scene.gauge(feed.second.gauge);
        return !g || wants(*g) <= at;
    });
}

scene::FedCurves Readings::fed(const scene::Tuned& tuned, scene::Table table, std::size_t at, std::vector<std::string>& said) {
    scene::FedCurves out;
    for (const auto& [setting, feed] : tuned.feeds) {
        const scene::SettingSpec* row = scene::findRow(table, setting);
        const auto without = [&, &setting = setting](const std::string& why) {
            said.push_back((row ? std::string(row->label) : setting) + " is not fed: " + why);
        };
        const scene::Gauge* g = m_scene.gauge(feed.gauge);
        if (!row || !row->keyable) {
            without("this version cannot feed it");
        } else if (!g) {
            without("its gauge is gone");
        } else if (wants(*g) > at) {
            without("its gauge reads a layer that does not stand below");
        } else if (const GaugeReadingPtr read = of(*g); read->problem.empty()) {
            out[setting] = scene::fed(feed, read->values, m_shot.fps, read->round);
        } else {
            without("\"" + g->name + "\": " + read->problem);
        }
    }
    return out;
}

}  // namespace nutatio::pipeline
