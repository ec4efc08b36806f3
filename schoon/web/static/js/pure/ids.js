// Names for what a hand has made, unique in practice within a drawing or a list.

export const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(5)), (b) => b.toString(16).padStart(2, '0')).join('');
