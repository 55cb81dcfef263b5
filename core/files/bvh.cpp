#include "files/bvh.h"

#include <array>
#include <charconv>
#include <cstring>
#include <nlohmann/json.hpp>

#include "files/allowance.h"
#include "files/bytes.h"

namespace nutatio::files {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t kMostJoints = 20000;
constexpr std::size_t kDeepestJoint = 1024;

enum class Kind { Xpos, Ypos, Zpos, Xrot, Yrot, Zrot };
constexpr std::array<std::string_view, 6> kKinds{"xposition", "yposition", "zposition", "xrotation", "yrotation", "zrotation"};

struct BvhJoint {
    int joint;
    std::vector<Kind> channels;
};

/// Words of a text with the line each stands on.
class Words {
  public:
    explicit Words(std::string_view text) : m_text(text) {}

    bool end() {
        skip();
        return m_at >= m_text.size();
    }
    std::string_view next() {
        skip();
        const std::size_t from = m_at;
        while (m_at < m_text.size() && !isSpace(m_text[m_at])) ++m_at;
        if (from == m_at) fail("the file ends too early");
        return m_text.substr(from, m_at - from);
    }
    /// The rest of the line, without the space around it.
    std::string_view restOfLine() {
        while (m_at < m_text.size() && (m_text[m_at] == ' ' || m_text[m_at] == '\t')) ++m_at;
        const std::size_t from = m_at;
        while (m_at < m_text.size() && m_text[m_at] != '\n' && m_text[m_at] != '\r' && m_text[m_at] != '{') ++m_at;
        std::size_t to = m_at;
        while (to > from && isSpace(m_text[to - 1])) --to;
        return m_text.substr(from, to - from);
    }
    double number() {
        const std::string_view w = next();
        double v = 0;
        const char* from = w.data() + (w.front() == '+' ? 1 : 0);
        const auto [at, bad] = std::from_chars(from, w.data() + w.size(), v);
        if (bad == std::errc::result_out_of_range) v = std::strtod(std::string(w).c_str(), nullptr);  // 0 or infinity
        if ((bad != std::errc() && bad != std::errc::result_out_of_range) || at != w.data() + w.size())
            fail("\"" + shown(w) + "\" stands where a number is wanted");
        if (!std::isfinite(v) || std::abs(v) > kFarthest) fail("the number " + shown(w) + " is not a usable size");
        return v;
    }
    std::size_t position() const { return m_at; }
    [[noreturn]] void fail(const std::string& what) const {
        const auto upTo = m_text.substr(0, std::min(m_at, m_text.size()));
        throw Failure("line " + std::to_string(1 + std::count(upTo.begin(), upTo.end(), '\n')), what);
    }
    static std::string shown(std::string_view w) { return std::string(w.substr(0, 40)); }

  private:
    static bool isSpace(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f' || c == '\v'; }
    void skip() {
        while (m_at < m_text.size() && isSpace(m_text[m_at])) ++m_at;
    }
    std::string_view m_text;
    std::size_t m_at = 0;
};

std::string lower(std::string_view w) {
    std::string s(w);
    for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return s;
}

struct Parsed {
    std::vector<rig::Joint> joints;
    std::vector<BvhJoint> moved;  // in the order of the motion's columns
    std::size_t motionAt = 0;     // where in the text the MOTION block stands
    std::size_t frames = 0;
    double frameTime = 0;
    std::size_t width = 0;
    std::vector<double> values;  // frames x width
    std::size_t dataAt = 0;
    bool extra = false;
};

void parseBlock(Words& w, Parsed& out, std::vector<int>& open) {
    // Inside a joint's braces: offsets, channels, children, or the end of the block.
    const std::string key = lower(w.next());
    if (key == "}") {
        open.pop_back();
    } else if (key == "offset") {
        for (int k = 0; k < 3; ++k) out.joints[static_cast<std::size_t>(open.back())].rest.t[k] = w.number();
    } else if (key == "channels") {
        const double n = w.number();
        if (n < 0 || n > 6 || n != std::floor(n)) w.fail("a joint has 0 to 6 channels");
        BvhJoint j{open.back(), {}};
        for (int k = 0; k < static_cast<int>(n); ++k) {
            const std::string_view name = w.next();
            const auto at = std::find(kKinds.begin(), kKinds.end(), lower(name));
            if (at == kKinds.end()) w.fail("\"" + Words::shown(name) + "\" is none of BVH's channels");
            j.channels.push_back(static_cast<Kind>(at - kKinds.begin()));
        }
        out.width += j.channels.size();
        out.moved.push_back(std::move(j));
    } else if (key == "joint" || key == "end") {
        std::string name(w.restOfLine());
        if (key == "end") name = out.joints[static_cast<std::size_t>(open.back())].name + "_end";
        if (lower(w.next()) != "{") w.fail("a { is wanted here");
        if (out.joints.size() >= kMostJoints) w.fail("the file has more than " + std::to_string(kMostJoints) + " joints");
        if (open.size() >= kDeepestJoint) w.fail("the joints are nested more than " + std::to_string(kDeepestJoint) + " deep");
        rig::Joint j;
        j.name = std::move(name);
        j.parent = open.back();
        open.push_back(static_cast<int>(out.joints.size()));
        out.joints.push_back(std::move(j));
    } else {
        w.fail("\"" + Words::shown(key) + "\" is not expected here");
    }
}

Parsed parse(std::string_view text) {
    Words w(text);
    Parsed out;
    if (w.end() || lower(w.next()) != "hierarchy") w.fail("this is not a BVH file: HIERARCHY is missing");
    std::vector<int> open;
    for (;;) {
        if (!open.empty()) {
            parseBlock(w, out, open);
            continue;
        }
        out.motionAt = w.position();
        const std::string key = lower(w.next());
        if (key == "motion") break;
        if (key != "root") w.fail("\"" + Words::shown(key) + "\" stands where ROOT or MOTION is wanted");
        rig::Joint root;
        root.name = std::string(w.restOfLine());
        if (lower(w.next()) != "{") w.fail("a { is wanted here");
        open.push_back(static_cast<int>(out.joints.size()));
        out.joints.push_back(std::move(root));
    }
    if (out.joints.empty()) w.fail("the file has no joints");
    if (lower(w.next()) != "frames:") w.fail("\"Frames:\" is wanted here");
    const double frames = w.number();
    if (frames < 0 || frames != std::floor(frames)) w.fail("the number of frames must be whole and not below 0");
    if (lower(w.next()) != "frame" || lower(w.next()) != "time:") w.fail("\"Frame Time:\" is wanted here");
    out.frameTime = w.number();
    if (frames > 1 && !(out.frameTime > 1e-6)) w.fail("the frame time must be above 0");
    out.dataAt = w.position();
    // Every number takes two bytes or more, so a short file cannot ask for much memory.
    if (frames * static_cast<double>(out.width) > static_cast<double>(text.size()))
        w.fail("the file is cut short: it promises " + std::to_string(static_cast<long long>(frames)) + " frames");
    if (frames > 1e7) w.fail("the file claims more frames than can be real");
    if ((frames - 1) * out.frameTime > kLongest) w.fail("the clip lasts more than a day");
    out.frames = static_cast<std::size_t>(frames);
    out.values.reserve(out.frames * out.width);
    for (std::size_t i = 0; i < out.frames * out.width; ++i) {
        if (w.end())
            w.fail("the file is cut short: frame " + std::to_string(i / out.width + 1) + " of " + std::to_string(out.frames) +
                   " is not whole");
        out.values.push_back(w.number());
    }
    out.extra = !w.end();
    return out;
}

Vec3 axisOf(Kind k) {
    return Vec3::Unit((static_cast<int>(k)) % 3);
}

void addClip(const Parsed& p, rig::Actor& actor) {
    if (p.frames == 0 || p.width == 0) return;
    rig::Clip clip;
    clip.name = actor.name;
    std::vector<float> times(p.frames);
    for (std::size_t f = 0; f < p.frames; ++f) times[f] = static_cast<float>(static_cast<double>(f) * p.frameTime);
    clip.end = times.back();
    std::size_t column = 0;
    for (const BvhJoint& j : p.moved) {
        rig::Channel move, turn;
        move.joint = turn.joint = j.joint;
        turn.path = rig::Path::Turn;
        turn.width = 4;
        bool moves = false, turns = false;
        for (std::size_t f = 0; f < p.frames; ++f) {
            Vec3 t = p.joints[static_cast<std::size_t>(j.joint)].rest.t;
            Quat r = Quat::Identity();
            for (std::size_t k = 0; k < j.channels.size(); ++k) {
                const double v = p.values[f * p.width + column + k];
                const bool position = static_cast<int>(j.channels[k]) < 3;
                (position ? moves : turns) = true;
                if (position)
                    t[static_cast<int>(j.channels[k])] = v;
                else
                    r = r * Quat(Eigen::AngleAxisd(radians(v), axisOf(j.channels[k])));
            }
            for (int k = 0; k < 3; ++k) move.values.push_back(static_cast<float>(t[k]));
            for (int k = 0; k < 4; ++k) turn.values.push_back(static_cast<float>(r.coeffs()[k]));
        }
        move.times = turn.times = times;
        if (moves) clip.channels.push_back(std::move(move));
        if (turns) clip.channels.push_back(std::move(turn));
        column += j.channels.size();
    }
    actor.clips.edit().push_back(std::move(clip));
}

/// BVH names no unit: the first one that makes the figure between a child's height and a giant's is taken.
double guessMetresPerUnit(double height) {
    for (double u : {1.0, 0.01, 0.0254, 0.1, 0.001})
        if (height * u >= 0.7 && height * u <= 2.6) return u;
    return 1.0;
}

/// Angles [deg] about the axes of `order` (three different ones) whose product in that order is `q`.
Vec3 eulerDeg(const Quat& q, const std::array<int, 3>& order) {
    const Vec3 e = q.toRotationMatrix().eulerAngles(order[0], order[1], order[2]);
    // Of the two equal answers, the one with the middle angle within a quarter turn is what people write.
    Vec3 d = e;
    if (std::abs(d[1]) > kPi / 2)
        d = Vec3(e[0] + (e[0] > 0 ? -kPi : kPi), (e[1] > 0 ? kPi : -kPi) - e[1], e[2] + (e[2] > 0 ? -kPi : kPi));
    return {degrees(d[0]), degrees(d[1]), degrees(d[2])};
}

void appendNumber(std::string& out, double v) {
    if (!(std::abs(v) <= kFarthest)) throw Failure("", "the motion is not finite; nothing was written");
    char text[40];
    std::snprintf(text, sizeof text, "%.6f", v);
    out += text;
}

/// The source's numbers as text, for channels that nothing touched.
std::vector<std::string_view> sourceDigits(std::string_view text, const Parsed& p) {
    Words w(text.substr(p.dataAt));
    std::vector<std::string_view> digits;
    digits.reserve(p.values.size());
    for (std::size_t i = 0; i < p.values.size(); ++i) digits.push_back(w.next());
    return digits;
}

void appendJoint(std::string& out, const BvhJoint& j, const Xform& x, Vec3& last) {
    std::array<int, 3> order{0, 1, 2};
    std::size_t n = 0;
    for (Kind k : j.channels)
        if (static_cast<int>(k) >= 3 && n < 3) order[n++] = static_cast<int>(k) - 3;
    const bool whole = n == 3 && order[0] != order[1] && order[1] != order[2] && order[0] != order[2];
    Vec3 angles = whole ? eulerDeg(x.r, order) : degrees(1) * rotationVector(x.r);
    std::size_t next = 0;
    for (Kind k : j.channels) {
        out += ' ';
        if (static_cast<int>(k) < 3) {
            appendNumber(out, x.t[static_cast<int>(k)]);
            continue;
        }
        const int slot = whole ? static_cast<int>(next++) : static_cast<int>(k) - 3;
        // Whole turns are added so that the curve runs on where it was, without a flip.
        double& a = angles[slot];
        a += 360.0 * std::round((last[slot] - a) / 360.0);
        last[slot] = a;
        appendNumber(out, a);
    }
}

std::string motionText(const rig::Actor& actor, const Parsed& p, const rig::Track& body, const rig::Track& track) {
    const rig::FrameGrid& g = track.grid();
    const bool sameGrid = p.frames == static_cast<std::size_t>(g.frames) && std::abs(g.fps * p.frameTime - 1) < 1e-6;
    const std::vector<std::string_view> digits = sameGrid ? sourceDigits(*actor.source.text, p) : std::vector<std::string_view>{};
    std::string out = "MOTION\nFrames: " + std::to_string(g.frames) + "\nFrame Time: ";
    char time[40];
    std::snprintf(time, sizeof time, "%.9g", sameGrid ? p.frameTime : g.dt());
    out += std::string(time) + "\n";
    std::vector<Vec3> last(p.moved.size(), Vec3::Zero());
    for (int f = 0; f < g.frames; ++f) {
        std::size_t column = 0;
        std::string line;
        for (std::size_t j = 0; j < p.moved.size(); ++j) {
            const BvhJoint& b = p.moved[j];
            if (sameGrid && body.column(b.joint) == track.column(b.joint))
                for (std::size_t k = 0; k < b.channels.size(); ++k)
                    line += " " + std::string(digits[static_cast<std::size_t>(f) * p.width + column + k]);
            else
                appendJoint(line, b, track.at(b.joint, f), last[j]);
            column += b.channels.size();
        }
        out += line.empty() ? line : line.substr(1);
        out += '\n';
    }
    return out;
}

}  // namespace

Result<std::shared_ptr<const rig::Actor>> readBvh(const fs::path& path) {
    return ofFile(path.string(), [&] {
        auto actor = std::make_shared<rig::Actor>();
        const rig::Bytes bytes = readBytes(path);
        const std::size_t bom = bytes.size() >= 3 && bytes[0] == 0xEF && bytes[1] == 0xBB && bytes[2] == 0xBF ? 3 : 0;
        actor->name = path.stem().string();
        actor->source = {rig::SourceDocument::Format::Bvh,
                         path.string(),
                         std::string(bytes.begin() + static_cast<std::ptrdiff_t>(bom), bytes.end()),
                         {},
                         {}};
        const Parsed p = parse(*actor->source.text);
        if (p.extra) actor->warnings.push_back("there are numbers after the last promised frame; they are not used");
        // Every column of numbers becomes floats, and every channel's times are its own.
        Allowance allowance;
        allowance.grant(bytes.size());
        const Json none;
        allowance.take(Place(none, "MOTION"), p.frames * (p.width * sizeof(double) + p.moved.size() * 36));
        actor->skeleton = rig::Skeleton(p.joints);
        addClip(p, *actor);
        actor->finish();
        actor->metresPerUnit = guessMetresPerUnit(actor->height);
        actor->finish();
        return std::shared_ptr<const rig::Actor>(std::move(actor));
    });
}

Result<Done> writeBvh(const rig::Actor& actor, const rig::Track& body, const rig::Track& track, const fs::path& out) {
    if (actor.source.format != rig::SourceDocument::Format::Bvh)
        return Error{out.string(), "", "only what came from a BVH file can be written as BVH; choose .glb or .gltf"};
    return ofFile(out.string(), [&] {
        const Parsed p = parse(*actor.source.text);
        if (p.joints.size() != static_cast<std::size_t>(actor.skeleton.size()))
            throw Failure("", "a BVH file cannot take the joints that were added; choose .glb or .gltf");
        for (const rig::Joint& j : actor.skeleton.joints())
            if (j.moved) throw Failure("", "a BVH file cannot take pivots that were moved; choose .glb or .gltf");
        std::string text = actor.source.text->substr(0, p.motionAt);
        while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.pop_back();
        text += '\n' + motionText(actor, p, body, track);
        writeAtomically(out, text.data(), text.size());
        return Done{};
    });
}

}  // namespace nutatio::files
