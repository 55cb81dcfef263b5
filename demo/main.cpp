// Builds the demo world's actors into a folder: nutatio-demo-build demo/assets
#include <filesystem>
#include <iostream>

#include "base/error.h"
#include "demo/otter.h"
#include "files/bytes.h"

int main(int argc, char** argv) {
    if (argc != 2) {
        std::cerr << "usage: nutatio-demo-build FOLDER\n";
        return 2;
    }
    try {
        const std::filesystem::path folder = argv[1];
        std::filesystem::create_directories(folder);
        nutatio::demo::GltfBuilder otter, jetty;
        const nutatio::demo::OtterRig rig = nutatio::demo::addOtterJoints(otter);
        nutatio::demo::addOtterMeshes(otter, rig);
        nutatio::demo::addOtterClips(otter, rig);
        otter.writeGlb(folder / "otter.glb");
        nutatio::demo::GltfBuilder lakeside;
        const nutatio::demo::OtterRig same = nutatio::demo::addOtterJoints(lakeside);
        nutatio::demo::addOtterMeshes(lakeside, same);
        nutatio::demo::addLakesideClips(lakeside, same);
        lakeside.writeGlb(folder / "otter-lakeside.glb");
        nutatio::demo::buildJetty(jetty);
        jetty.writeGlb(folder / "jetty.glb");
        nutatio::demo::GltfBuilder boat, net;
        nutatio::demo::buildBoat(boat);
        boat.writeGlb(folder / "boat.glb");
        nutatio::demo::buildFloat(net);
        net.writeGlb(folder / "float.glb");
        const std::string bvh = nutatio::demo::deckhandBvh();
        nutatio::files::writeAtomically(folder / "deckhand.bvh", bvh.data(), bvh.size());
    } catch (const nutatio::Failure& f) {
        std::cerr << f.what() << "\n";
        return 3;
    }
    return 0;
}
