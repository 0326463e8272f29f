// Included before anything else: a product and a sum are fused where the code says so and nowhere else, so that a
// result doesn't hang on the processor, or its options, that it was compiled for.
#pragma once

#if defined(__clang__)
#pragma STDC FP_CONTRACT OFF
#else
#pragma GCC optimize("fp-contract=off")
#endif
