#include "reduce/Polisher.h"

namespace um {

namespace {

// Each finds the closest places anew: later ones gain less, and on fine levels, where each costs more, less still.
int roundsFor(const Mesh& level, const Mesh& source) {
    if (isVeryFine(level, source)) return 3;
    return isFine(level, source) ? 4 : 5;
}

}  // namespace

std::vector<Birth> polish(Mesh& level, const Mesh& source, const Provenance& provenance, std::size_t insertions,
                          const Progress& progress) {
    Polisher polisher(level, source, provenance);
    const int rounds = roundsFor(level, source);
    std::size_t inserted = 0;
    for (int round = 0; round < rounds; ++round) {
        progress.at(double(round) / rounds);
        if (round == 0)
            polisher.findFirstClosest(progress);
        else
            polisher.findClosest(progress);
        // Half of the new vertices at first, the rest where it is still worst then; where splits keep apart from one
        // another, it takes more turns.
        if (round == 1 || round == 2) {
            const std::size_t soFar = round == 1 ? (insertions + 1) / 2 : insertions;
            while (inserted < soFar) {
                const std::size_t more = polisher.insertAtWorst(soFar - inserted);
                if (more == 0) break;
                inserted += more;
                polisher.findClosestOfChanged(progress);
            }
        }
        if (round > 0 && round < std::max(2, rounds - 1)) {
            polisher.flipEdges(progress);
            polisher.findClosestOfChanged(progress);
        }
        polisher.moveVertices(progress);
    }
    progress.at(1);
    return polisher.finish();
}

}  // namespace um
