#include "reduce/Polisher.h"

namespace um {

namespace {

// Each finds the closest places anew: later ones gain less, and on fine levels, where each costs more, less still.
constexpr int rounds = 5;
constexpr int roundsOfFine = 4;

}  // namespace

std::vector<Birth> polish(Mesh& level, const Mesh& source, const Provenance& provenance, std::size_t insertions,
                          const Progress& progress) {
    Polisher polisher(level, source, provenance);
    const int wanted = isFine(level, source) ? roundsOfFine : rounds;
    std::size_t inserted = 0;
    for (int round = 0; round < wanted; ++round) {
        progress.at(double(round) / wanted);
        polisher.findClosest(round == 0, progress);
        // Half of the new vertices at first, the rest where it is still worst then; where splits keep apart from one
        // another, it takes more turns.
        if (round == 1 || round == 2) {
            const std::size_t soFar = round == 1 ? (insertions + 1) / 2 : insertions;
            while (inserted < soFar) {
                const std::size_t more = polisher.insertAtWorst(soFar - inserted);
                if (more == 0) break;
                inserted += more;
                polisher.findClosest(false, progress);
            }
        }
        if (round > 0 && round < std::max(2, wanted - 1)) {
            polisher.flipEdges(progress);
            polisher.findClosest(false, progress);
        }
        polisher.moveVertices(progress);
    }
    progress.at(1);
    return polisher.finish();
}

}  // namespace um
