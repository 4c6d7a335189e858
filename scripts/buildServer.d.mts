/** Where what is built lies. */
export declare const builtServer: string
/** Builds what the server runs, and gives the folder in which it lies. */
export declare function buildServer(folder?: string): Promise<string>
/** Builds the measurements, and gives the folder in which they lie. */
export declare function buildBench(files: string[]): Promise<string>
