// For what lives for seconds only: the database's program is compiled once and quickly, and functions are compiled anew only when they are
// run very often. Of all the time of the server's tests a third went into compiling otherwise.
export const shortLived = ['--liftoff-only', '--interrupt-budget=1000000']
