/** Where what is built lies. */
export declare const builtServer: string
/** Builds what the server runs, and gives the folder in which it lies. */
export declare function buildServer(folder?: string): Promise<string>
/** Builds the measurements, and gives the folder in which they lie. */
export declare function buildBench(files: string[]): Promise<string>
/** Builds commands of this folder. */
export declare function buildCommands(names?: string[], folder?: string): Promise<void>
/** The file that a command becomes where it is built into a folder. */
export declare function builtCommand(name: string, folder?: string): string
