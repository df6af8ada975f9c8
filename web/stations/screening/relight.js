// Light of a frame that is relit in the browser: the picture and its passes of light as 32-bit floats, of which the sum
// is made with other gains, as core/grade makes it.

// halves are all values that 16 bits can be as a float.
let halves = null;
function valuesOfHalves() {
  if (halves) return halves;
  halves = new Float32Array(65536);
  for (let i = 0; i < 65536; i++) {
    const exponent = (i >> 10) & 31;
    const fraction = i & 1023;
    const value =
      exponent === 0
        ? fraction * 2 ** -24
        : exponent === 31
          ? fraction
            ? NaN
            : Infinity
          : (1 + fraction / 1024) * 2 ** (exponent - 15);
    halves[i] = i & 0x8000 ? -value : value;
  }
  return halves;
}

// readLights reads what the server answers: a head, and planes of halves. Of each pass red, green and blue stand side
// by side, pixel by pixel.
export function readLights(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const values = valuesOfHalves();
  const count = head.width * head.height;
  const passes = new Map();
  head.passes.forEach((pass, i) => {
    const codes = new Uint16Array(buffer, 4 + length + 6 * count * i, 3 * count);
    const planes = new Float32Array(3 * count);
    for (let c = 0; c < 3; c++) for (let k = 0; k < count; k++) planes[3 * k + c] = values[codes[c * count + k]];
    passes.set(pass, planes);
  });
  return { ...head, lights: passes };
}

// sRGB decodes a code from 0 to 1 (IEC 61966-2-1).
const decode = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

// gainOf returns the factors of red, green and blue of an intensity and a colour as #rrggbb.
export function gainOf(intensity, colour = "#ffffff") {
  return [1, 3, 5].map((i) => intensity * decode(parseInt(colour.slice(i, i + 2), 16) / 255));
}

// relit returns the light of a frame with gains, by the codes of passes; those that have none stay. whole says that the
// passes are all of the picture's light. Gains that change nothing give the picture itself.
export function relit(read, gains, whole) {
  const picture = read.lights.get("beauty");
  const count = read.width * read.height;
  const changes = [...gains.values()].some((gain) => gain.some((v) => v !== 1));
  if (!changes) return picture.slice();
  const sum = whole ? new Float32Array(3 * count) : picture.slice();
  for (const [pass, planes] of read.lights) {
    if (pass === "beauty") continue;
    const gain = gains.get(pass) ?? [1, 1, 1];
    const [r, g, b] = gain.map((v) => (whole ? v : v - 1));
    for (let i = 0; i < 3 * count; i += 3) {
      sum[i] += r * planes[i];
      sum[i + 1] += g * planes[i + 1];
      sum[i + 2] += b * planes[i + 2];
    }
  }
  return sum;
}

// A Relighting changes one light at a time: what the others add up to is kept.
export class Relighting {
  constructor(read, whole) {
    this.read = read;
    this.whole = whole;
    this.count = read.width * read.height;
    this.image = new ImageData(read.width, read.height);
    this.pixels = new Uint32Array(this.image.data.buffer);
    this.table = new Uint8ClampedArray(1 << 20); // by the upper 20 bits of a float; those below 0 are black
    this.of = null; // the light that is being changed
    this.rest = null; // what all others add up to
  }

  // look sets how light is shown: by a gain, and a curve that makes codes from 0 to 1 of it.
  look(gain, curve) {
    const value = new Float32Array(1);
    const bits = new Uint32Array(value.buffer);
    for (let i = 0; i < this.table.length / 2; i++) {
      bits[0] = (i << 12) | 0x800; // the middle of what has this number
      this.table[i] = value[0] < 65536 ? 255 * curve(Math.min(1, gain * value[0])) : 255;
    }
  }

  // change returns the picture with gains, of which the light of is being changed.
  change(of, gains) {
    const planes = this.read.lights.get(of);
    const gain = gains.get(of) ?? [1, 1, 1];
    if (this.of !== of) {
      const others = new Map(gains);
      others.set(of, this.whole ? [0, 0, 0] : [1, 1, 1]);
      others.set("", [0, 0, 0]); // so that it is a sum, even if it is of all as they are
      this.rest = relit(this.read, others, this.whole);
      this.of = of;
    }
    const { count, rest, table, pixels } = this;
    const [r, g, b] = gain.map((v) => (this.whole ? v : v - 1));
    const float = new Float32Array(1); // whose bits say where its code stands in the table
    const bits = new Int32Array(float.buffer);
    for (let i = 0, k = 0; i < count; i++, k += 3) {
      float[0] = rest[k] + r * planes[k];
      const red = table[bits[0] >>> 12];
      float[0] = rest[k + 1] + g * planes[k + 1];
      const green = table[bits[0] >>> 12];
      float[0] = rest[k + 2] + b * planes[k + 2];
      pixels[i] = 0xff000000 | (table[bits[0] >>> 12] << 16) | (green << 8) | red;
    }
    return this.image;
  }

  // settled forgets what the others add up to, since they may be changed now.
  settled() {
    this.of = this.rest = null;
  }
}

// Curves of displays that light is shown through, from 0 to 1.
export const curves = {
  "": (v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055),
  bt1886: (v) => v ** (1 / 2.4),
  gamma22: (v) => v ** (1 / 2.2),
};
