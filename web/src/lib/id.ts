/** A name that nothing else has. */
export const newID = () => crypto.randomUUID().replaceAll('-', '').slice(0, 16);
