/* What a compiler is not left to decide by itself. */
#ifndef YONDER_INLINING_H
#define YONDER_INLINING_H

#if defined(__GNUC__)
/* For the few lines that run for every step: inlined even where a compiler saves space. */
#define YT_ALWAYS_INLINE inline __attribute__((always_inline))
/* What is rarer, or needs much of the stack, and is to be kept out of its caller. */
#define YT_NEVER_INLINE __attribute__((noinline))
#else
#define YT_ALWAYS_INLINE inline
#define YT_NEVER_INLINE
#endif

#endif
