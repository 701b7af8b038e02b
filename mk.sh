set -e
cd /work/main
INC=""; for d in build/layers/*; do INC="$INC -I$d"; done
g++ -std=c++20 -O2 -g -fno-math-errno -I/usr/include/eigen3 -Isrc -Itests $INC /tmp/prof/$1.cpp -o /tmp/prof/$1 $(ls build/libtest*support*.a 2>/dev/null) tests/support/cells.cpp build/libstudy.a build/libinspection.a build/libexchange.a build/libsimulation.a build/libcell.a build/libmotion.a build/libkinematics.a build/libgeometry.a $(ls build/lib*.a) -ltbb -lpugixml -lnlopt -lpthread 2>&1 | head -20
