// What the model stands on: the shadow of its contact, and the one that the light casts.
import { CanvasTexture, Mesh, MeshBasicMaterial, PlaneGeometry, ShadowMaterial, Vector3, type Box3 } from 'three';

/** The ground under a model that fills a box. */
export function makeGround(box: Box3): Mesh {
  const s = box.getSize(new Vector3());
  const r = Math.max(s.x, s.z);
  const c = document.createElement('canvas');
  c.width = c.height = 256;
  const g = c.getContext('2d')!;
  const shade = g.createRadialGradient(128, 128, 10, 128, 128, 128);
  for (const [at, a] of [
    [0, 0.85],
    [0.36, 0.8],
    [0.44, 0.5],
    [0.6, 0.2],
    [1, 0],
  ])
    shade.addColorStop(at, `rgba(0,0,0,${a})`);
  g.fillStyle = shade;
  g.fillRect(0, 0, 256, 256);
  const contact = new Mesh(
    new PlaneGeometry(r * 2.4, r * 2.4),
    new MeshBasicMaterial({ map: new CanvasTexture(c), transparent: true, depthWrite: false, opacity: 0.5 }),
  );
  contact.rotation.x = -Math.PI / 2;
  contact.position.set((box.min.x + box.max.x) / 2, box.min.y - r * 0.002, (box.min.z + box.max.z) / 2);
  const cast = new Mesh(new PlaneGeometry(r * 9, r * 9), new ShadowMaterial({ opacity: 0.28 }));
  cast.receiveShadow = true;
  cast.position.z = -r * 0.001;
  contact.add(cast);
  return contact;
}
