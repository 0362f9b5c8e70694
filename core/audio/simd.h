// Run-time choice of the instruction set for inner loops. Every loop marked with it keeps the order of its
// floating-point operations per output sample, so that all versions give the same bits.
#pragma once

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_THREAD__) &&                \
    !defined(__SANITIZE_ADDRESS__)
#define IVRIN_CLONES __attribute__((target_clones("avx2", "default")))
#else
#define IVRIN_CLONES
#endif
