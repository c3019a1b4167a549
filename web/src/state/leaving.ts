/** What ends when the open project is left: who has begun something says here how it ends. */
export const leaving = new Set<() => void>();
