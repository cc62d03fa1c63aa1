/** The levels of the five pairs of a hue in the index of colours. Source: DXF Reference, colour numbers 10 to 249 (values from memory). */
const levels = [255, 165, 127, 76, 38];
const named = ['#000000', '#ff0000', '#ffff00', '#00ff00', '#00ffff', '#0000ff', '#ff00ff', '#ffffff', '#808080', '#c0c0c0'];
const greys = [51, 91, 132, 173, 214, 255];

const hex = (r: number, g: number, b: number) => `#${[r, g, b].map((v) => Math.round(v).toString(16).padStart(2, '0')).join('')}`;

/** Colour (#rrggbb) of a colour number 1 to 255; null for 0 (as its block) and 256 (as its layer). */
export function colourOfNumber(index: number): string | null {
  if (!(index >= 1 && index <= 255)) return null;
  if (index < 10) return named[index];
  if (index >= 250) return hex(greys[index - 250], greys[index - 250], greys[index - 250]);
  const hue = Math.floor((index - 10) / 10) / 4;
  const level = levels[Math.floor((index % 10) / 2)];
  const low = index % 2 === 1 ? level / 2 : 0;
  const channel = (shift: number) => {
    const away = Math.abs(((hue + shift + 3) % 6) - 3);
    return low + (level - low) * Math.min(1, Math.max(0, 2 - away));
  };
  return hex(channel(0), channel(4), channel(2));
}

const table = Array.from({ length: 256 }, (_, i) => colourOfNumber(i) ?? '#000000').map((c) => [1, 3, 5].map((k) => parseInt(c.slice(k, k + 2), 16)));

/** The colour number nearest to a colour (#rrggbb); 7 (black or white, whatever shows) for black, white and none. */
export function numberOfColour(colour: string | null): number {
  if (colour === null || colour === '#000000' || colour === '#ffffff') return 7;
  const [r, g, b] = [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16));
  let best = 7;
  let least = Infinity;
  for (let i = 1; i < 256; i++) {
    const [x, y, z] = table[i];
    const far = (x - r) ** 2 + (y - g) ** 2 + (z - b) ** 2;
    if (far < least) {
      least = far;
      best = i;
    }
  }
  return best;
}
