// Included before anything else: a product and a sum are fused where the code says so and nowhere else, so that a
// result doesn't hang on the processor that it was compiled for. The kernels say so for themselves.
#pragma once

#if defined(__clang__)
#pragma STDC FP_CONTRACT OFF
#elif !defined(__x86_64__)  // whose compilers have nothing to fuse with unless they are told to
#pragma GCC optimize("fp-contract=off")
#endif
