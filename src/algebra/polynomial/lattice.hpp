// SPDX-License-Identifier: MIT
// Reduction of integer lattices (Lenstra, Lenstra, Lovasz 1982).
#pragma once

#include <vector>

namespace boreon::poly {

__extension__ using LatticeEntry = __int128;
using LatticeBasis = std::vector<std::vector<LatticeEntry>>;

/// Reduces the rows with factor 3/4, the orthogonalisation in extended precision (Schnorr and Euchner 1994); zero rows
/// go. Returns the squared lengths of the orthogonalised rows. Entries up to about 2^60.
std::vector<long double> reduce_lattice(LatticeBasis& rows);

}  // namespace boreon::poly
