// What the model stands on: the shadow of its contact, and the one that the light casts.
import {
  DataTexture,
  LinearFilter,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  ShadowMaterial,
  Vector3,
  type Box3,
} from 'three';

const SHADE = 64; // texels a side

/** How dark the contact is, by the distance from its middle as a share of the radius. */
const dark = [
  [0.08, 0.85],
  [0.41, 0.8],
  [0.48, 0.5],
  [0.63, 0.2],
  [1, 0],
];

/** A round shade that fades outward. Numbers, as a canvas would wait for the card. */
function contactShade(): DataTexture {
  const rgba = new Uint8Array(4 * SHADE * SHADE);
  for (let i = 0; i < SHADE * SHADE; i++) {
    const at = Math.hypot((i % SHADE) + 0.5 - SHADE / 2, Math.floor(i / SHADE) + 0.5 - SHADE / 2) / (SHADE / 2);
    const k = Math.max(
      dark.findIndex(([d]) => at < d),
      0,
    );
    const [[a, from], [b, to]] = [dark[Math.max(k - 1, 0)], dark[k]];
    const t = b > a ? Math.min(Math.max((at - a) / (b - a), 0), 1) : 0;
    rgba[4 * i + 3] = at >= 1 ? 0 : 255 * (from + t * (to - from));
  }
  const shade = new DataTexture(rgba, SHADE, SHADE);
  shade.magFilter = shade.minFilter = LinearFilter;
  shade.needsUpdate = true;
  return shade;
}

/** The ground under a model that fills a box. */
export function makeGround(box: Box3): Mesh {
  const s = box.getSize(new Vector3());
  const r = Math.max(s.x, s.z);
  const contact = new Mesh(
    new PlaneGeometry(r * 2.4, r * 2.4),
    new MeshBasicMaterial({ map: contactShade(), transparent: true, depthWrite: false, opacity: 0.5 }),
  );
  contact.rotation.x = -Math.PI / 2;
  contact.position.set((box.min.x + box.max.x) / 2, box.min.y - r * 0.002, (box.min.z + box.max.z) / 2);
  const cast = new Mesh(new PlaneGeometry(r * 9, r * 9), new ShadowMaterial({ opacity: 0.28 }));
  cast.receiveShadow = true;
  cast.position.z = -r * 0.001;
  contact.add(cast);
  return contact;
}
