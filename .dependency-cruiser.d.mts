/** The rooms of each part from the ground up: each uses only those before it. Rooms in one entry are one floor. */
export declare const rooms: Record<string, (string | string[])[]>
