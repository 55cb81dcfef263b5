#include "layers/balance/own_time.h"

#include <algorithm>
#include <cmath>

#include "rig/path.h"

namespace nutatio::layers::balance {

bool inItsOwnTime(const scene::Layer& layer) {
    return layer.text("air") == "falls, in its own time";
}

OwnTime::OwnTime(const LayerContext& c, const Weighing& is, double fps) : m_from(static_cast<std::size_t>(is.laps.frames)) {
    for (std::size_t f = 0; f < m_from.size(); ++f) m_from[f] = static_cast<double>(f);
    const double pull = kEarthGravity * c.settings->at("gravity");
    const int last = is.laps.frames - 1;
    for (std::size_t k = 0; k < is.flights.size() && !is.laps.round; ++k) {
        const int b = is.flights[k].from - 1, e = is.flights[k].to + 1;
        double arc = 0;
        for (int f = b; f <= e; ++f) {
            const double u = static_cast<double>(f - b) / (e - b);
            const auto high = [&](int at) { return is.centre[static_cast<std::size_t>(at)].y(); };
            arc = std::max(arc, high(f) - (1 - u) * high(b) - u * high(e));
        }
        const int room = std::min(k > 0 ? (b - is.flights[k - 1].to - 1) / 2 : b,
                                  k + 1 < is.flights.size() ? (is.flights[k + 1].from - 1 - e) / 2 : last - e);
        const int asked = static_cast<int>(std::lround(std::sqrt(8 * arc / pull) * fps)) - (e - b);
        // Of the frames beside it at most half are taken.
        const int more = within(asked, 3 - (e - b), room);
        if (more == 0 || room < 2) continue;
        const int first = b - more / 2, end = e + (more - more / 2),
                  beside = std::min(room, std::max(static_cast<int>(std::lround(c.settings->at("work"))), 2 * std::abs(more)));
        const double quick = static_cast<double>(e - b) / (end - first);
        span(b - beside, first, b - beside, b, 1, quick);
        span(first, end, b, e, quick, quick);
        span(end, e + beside, e, e + beside, quick, 1);
        m_said += (m_said.empty() ? "" : ", ") + std::string(more > 0 ? "+" : "") + std::to_string(more);
    }
}

void OwnTime::read(const rig::Actor& actor, int from, rig::Track& track) const {
    for (int j = 0; j < actor.skeleton.size(); ++j) {
        if (track.holdsStill(j)) continue;
        rig::Column column = *track.column(j);
        std::vector<Quat> turns;
        std::vector<Vec3> places;
        for (std::size_t f = 0; f < m_from.size(); ++f) {
            turns.push_back(column[static_cast<std::size_t>(from) + f].r);
            places.push_back(column[static_cast<std::size_t>(from) + f].t);
        }
        const rig::TurnPath turn(std::move(turns), rig::Ends::Held);
        const rig::PlacePath place(std::move(places), rig::Ends::Held);
        for (std::size_t f = 0; f < m_from.size(); ++f) {
            Xform& x = column[static_cast<std::size_t>(from) + f];
            x.r = turn.at(m_from[f]);
            x.t = place.at(m_from[f]);
        }
        track.replace(j, std::move(column));
    }
}

void OwnTime::span(int from, int to, double a, double b, double slopeA, double slopeB) {
    for (int f = from; f <= to; ++f) {
        const double wide = std::max(1, to - from);
        const Hermite h((f - from) / wide);
        m_from[static_cast<std::size_t>(f)] = a * h.p0 + b * h.p1 + wide * (slopeA * h.m0 + slopeB * h.m1);
    }
}

}  // namespace nutatio::layers::balance
