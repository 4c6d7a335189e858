// How the C library gives memory back, for the server's process: it must stand in the environment before that begins. Each
// thread would keep up to 64 MB of what it once used for itself; with two areas for all and what is free given back, a server with
// 100,000 people takes a hundred megabytes less. Systems with another C library pass it over.
export const sparingMemory = {
  MALLOC_ARENA_MAX: '2',
  MALLOC_TRIM_THRESHOLD_: '131072',
  MALLOC_MMAP_THRESHOLD_: '131072',
}
