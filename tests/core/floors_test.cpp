// What may know what: folders include from their own floor or below, and no file outside a kind's folder knows the kind.
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <regex>
#include <set>
#include <sstream>

#include "layers/registry.h"
#include "tests/support/places.h"

using namespace nutatio;
namespace fs = std::filesystem;

namespace {

struct Source {
    std::string path, text;  // from the project's folder on
};

std::vector<Source> sources(std::initializer_list<const char*> folders) {
    std::vector<Source> out;
    for (const char* folder : folders)
        for (const auto& e : fs::recursive_directory_iterator(fs::path(test::sourceFolder()) / folder)) {
            if (e.path().extension() != ".h" && e.path().extension() != ".cpp") continue;
            std::ifstream in(e.path());
            std::stringstream text;
            text << in.rdbuf();
            out.push_back({fs::relative(e.path(), test::sourceFolder()).generic_string(), text.str()});
        }
    return out;
}

/// All that a pattern's first group matches.
std::set<std::string> allOf(const std::string& text, const std::string& pattern) {
    std::set<std::string> out;
    const std::regex find(pattern);
    for (std::sregex_iterator at(text.begin(), text.end(), find), end; at != end; ++at) out.insert((*at)[1]);
    return out;
}

}  // namespace

TEST_CASE("a file includes from its own floor or from one below") {
    // The highest first.
    const std::vector<std::string> floors{"cli",     "app",   "edit",  "pipeline", "measure", "layers",
                                          "physics", "files", "scene", "rig",      "base"};
    const auto floorOf = [&](const std::string& name) { return std::find(floors.begin(), floors.end(), name) - floors.begin(); };
    int looked = 0;
    for (const Source& s : sources({"core", "app", "cli"})) {
        const bool core = s.path.rfind("core/", 0) == 0;
        const std::string rest = core ? s.path.substr(5) : s.path, own = rest.substr(0, rest.find('/'));
        for (const std::string& of : allOf(s.text, "#include \"([a-z]+)/[^\"]+\"")) {
            INFO(s.path << " includes from " << of);
            REQUIRE(floorOf(of) < static_cast<std::ptrdiff_t>(floors.size()));
            CHECK(floorOf(own) <= floorOf(of));
            ++looked;
        }
        if (core) CHECK(allOf(s.text, "(#include <Q[A-Za-z/]+>)").empty());
    }
    CHECK(looked > 500);
}

TEST_CASE("no file outside a kind's folder knows the kind, but the registry and edits that make its layers") {
    const auto of = [](const std::string& kind) { return "core/layers/" + kind + "/"; };
    std::set<std::string> kinds;
    for (const layers::LayerKind* k : layers::kinds()) {
        kinds.emplace(k->id);
        CHECK(fs::is_directory(fs::path(test::sourceFolder()) / of(std::string(k->id))));
    }
    // Groups that one kind alone has: headings on the page of its layers.
    std::map<std::string, std::string> groups;
    for (const layers::LayerKind* k : layers::kinds())
        for (const scene::SettingSpec& row : k->settings)
            if (!row.group.empty())
                groups[std::string(row.group)] = groups.count(std::string(row.group)) ? std::string() : std::string(k->id);
    // Words that mean something else in those places.
    const std::set<std::string> words{"Shape", "Reach",  "Chain", "Lag", "Act",   "Pose",
                                      "Aim",   "Weight", "Build", "How", "Place", "Low pose"};
    for (const Source& s : sources({"core", "app", "cli"})) {
        INFO(s.path);
        // Kinds that work together know one another's headers, as one mechanism in two folders.
        const bool mayMake = s.path.rfind("core/edit/", 0) == 0 || s.path == "core/layers/registry.cpp";
        for (const std::string& kind : allOf(s.text, "#include \"layers/([a-z]+)/")) {
            INFO("includes " << kind);
            CHECK((mayMake || s.path.rfind(of(kind), 0) == 0));
        }
        if (s.path.rfind("core/layers/", 0) == 0) continue;
        for (const std::string& kind : kinds) {
            INFO("names " << kind);
            CHECK(s.text.find("findKind(\"" + kind + "\")") == std::string::npos);
            CHECK(s.text.find("kind == \"" + kind + "\"") == std::string::npos);
            CHECK(s.text.find("id == \"" + kind + "\"") == std::string::npos);
        }
        for (const auto& [group, kind] : groups) {
            INFO("names the group " << group);
            if (!kind.empty() && words.count(group) == 0) CHECK(s.text.find("\"" + group + "\"") == std::string::npos);
        }
    }
}
