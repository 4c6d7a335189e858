/** Settings for the C library, for the environment of the server's process. */
export const sparingMemory: Record<string, string>
