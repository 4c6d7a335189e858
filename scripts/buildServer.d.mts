/** Where what is built lies. */
export declare const builtServer: string
/** Builds what the server runs, and gives the folder in which it lies. */
export declare function buildServer(): Promise<string>
