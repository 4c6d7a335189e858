export declare const shortLived: string[]
