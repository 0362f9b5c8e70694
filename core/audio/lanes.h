// Eight floats as one value, for inner loops that a compiler does not turn into vector code by itself. Every operation
// goes element by element, so the bits are the same whatever the instruction set.
#pragma once

namespace ivrin {

typedef float Eight __attribute__((vector_size(32)));
/// The same where it lies in memory at any address.
typedef Eight EightInMemory __attribute__((aligned(4), may_alias));

/// Four of them.
typedef float Four __attribute__((vector_size(16)));
typedef Four FourInMemory __attribute__((aligned(4), may_alias));

} // namespace ivrin
