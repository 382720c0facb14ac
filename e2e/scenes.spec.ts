// What scenes hold, read by readers that are not ours: a validator of glTF, and three's loaders of
// glTF, USD, OBJ and MaterialX, drawn beside each other.
import { readFileSync } from 'node:fs';
import { dirname, extname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { unzipSync } from 'fflate';
import { validateBytes } from 'gltf-validator';
import { expect, test } from './setup';

const three = resolve(dirname(fileURLToPath(import.meta.url)), '../web/node_modules/three');
const media: Record<string, string> = { '.js': 'text/javascript', '.png': 'image/png', '.html': 'text/html' };

test('scenes of every kind are read by others, and look alike there', async ({ fresh: page }) => {
  const projects = await (await page.request.get('/api/projects')).json();
  const id = projects.find((p: { name: string }) => p.name === 'Mooring bollard').id;
  const preset = { name: 'all scenes', files: [], size: 256, scenes: ['glb', 'gltf', 'obj', 'usda', 'usdz', 'mtlx'] };
  const order = { sheets: [], maps: [], glb: false, preset, project: 'Mooring bollard' };
  const job = await (await page.request.post(`/api/projects/${id}/deliveries`, { data: order })).json();
  await expect
    .poll(async () => (await (await page.request.get(`/api/jobs/${job.id}`)).json()).state, { timeout: 300_000 })
    .toBe('done');
  const zip = unzipSync(new Uint8Array(await (await page.request.get(`/api/jobs/${job.id}/files/all.zip`)).body()));
  const name = (end: string) => Object.keys(zip).find((n) => n.endsWith(end))!;
  for (const end of ['.glb', '.gltf']) {
    const r = await validateBytes(zip[name(end)], { externalResourceFunction: async (u: string) => zip[decodeURIComponent(u)] });
    expect(r.issues.messages.filter((m: { severity: number }) => m.severity < 2)).toEqual([]);
  }
  // an empty page of our own, with three from its package and the delivered files beside it
  await page.route('**/read/**', (route) => {
    const path = decodeURIComponent(new URL(route.request().url()).pathname.slice(6));
    const type = media[extname(path)] ?? 'application/octet-stream';
    if (path.startsWith('three/')) {
      return route.fulfill({ contentType: type, body: readFileSync(join(three, path.slice(6))) });
    }
    if (path === 'index.html') {
      const map = { imports: { three: '/read/three/build/three.module.js', 'three/webgpu': '/read/three/build/three.webgpu.js', 'three/tsl': '/read/three/build/three.tsl.js', 'three/addons/': '/read/three/examples/jsm/' } };
      return route.fulfill({ contentType: type, body: `<script type="importmap">${JSON.stringify(map)}</script>` });
    }
    return zip[path] ? route.fulfill({ contentType: type, body: Buffer.from(zip[path]) }) : route.fulfill({ status: 404 });
  });
  await page.goto('/read/index.html');
  const seen = await page.evaluate(
    async ({ glb, gltf, usda, usdz, obj, mtl }) => {
      const from = (s: string) => import(/* @vite-ignore */ s);
      const T = await from('three');
      const { GLTFLoader } = await from('three/addons/loaders/GLTFLoader.js');
      const { USDLoader } = await from('three/addons/loaders/USDLoader.js');
      const { OBJLoader } = await from('three/addons/loaders/OBJLoader.js');
      const { MTLLoader } = await from('three/addons/loaders/MTLLoader.js');
      const at = (f: string) => `/read/${encodeURIComponent(f)}`;
      const materials = await new MTLLoader().setPath('/read/').loadAsync(encodeURIComponent(mtl));
      const scenes: Record<string, any> = {
        glb: (await new GLTFLoader().loadAsync(at(glb))).scene,
        gltf: (await new GLTFLoader().loadAsync(at(gltf))).scene,
        usda: await new USDLoader().loadAsync(at(usda)),
        usdz: await new USDLoader().loadAsync(at(usdz)),
        obj: await new OBJLoader().setMaterials(materials).loadAsync(at(obj)),
      };
      const renderer = new T.WebGLRenderer({ antialias: false, preserveDrawingBuffer: true, alpha: true });
      renderer.setClearColor(0x203040, 0); // what shows something is told by its alpha, not by a colour that it may have too
      renderer.setSize(192, 192);
      const draw = async (object: any) => {
        const scene = new T.Scene();
        scene.add(object, new T.HemisphereLight(0xffffff, 0x806040, 2));
        const sun = new T.DirectionalLight(0xffffff, 3);
        sun.position.set(1, 2, 3);
        scene.add(sun);
        const box = new T.Box3().setFromObject(object);
        const middle = box.getCenter(new T.Vector3()), far = box.getSize(new T.Vector3()).length();
        const camera = new T.PerspectiveCamera(35, 1, far / 50, far * 10);
        camera.position.copy(middle).add(new T.Vector3(0.6, 0.5, 1.2).multiplyScalar(far));
        camera.lookAt(middle);
        const pictures = new Set<any>(); // they come when they come
        object.traverse((o: any) => {
          if (o.isMesh) for (const m of [o.material].flat()) for (const k of Object.keys(m)) if (m[k]?.isTexture) pictures.add(m[k]);
        });
        while ([...pictures].some((t) => !t.version || !t.image?.width || t.image.complete === false)) await new Promise((r) => setTimeout(r, 25));
        renderer.render(scene, camera);
        const px = new Uint8Array(192 * 192 * 4);
        renderer.getContext().readPixels(0, 0, 192, 192, 6408, 5121, px);
        return px;
      };
      const out: Record<string, any> = {};
      let first: Uint8Array | null = null;
      for (const [kind, object] of Object.entries(scenes)) {
        let triangles = 0;
        const maps = new Set<string>();
        object.traverse((o: any) => {
          if (!o.isMesh) return;
          triangles += (o.geometry.index ? o.geometry.index.count : o.geometry.attributes.position.count) / 3;
          for (const m of [o.material].flat())
            for (const k of Object.keys(m)) if (m[k]?.isTexture) maps.add(k);
        });
        const px = await draw(object);
        first ??= px;
        let sum = 0, shown = 0;
        for (let i = 0; i < px.length; i += 4) {
          const d = Math.abs(px[i] - first[i]) + Math.abs(px[i + 1] - first[i + 1]) + Math.abs(px[i + 2] - first[i + 2]);
          sum += d / 3;
          if (px[i + 3]) shown++;
        }
        out[kind] = { triangles, maps: [...maps].sort(), apart: sum / (192 * 192), shown: shown / (192 * 192), size: new T.Box3().setFromObject(object).getSize(new T.Vector3()).toArray() };
      }
      return out;
    },
    { glb: name('.glb'), gltf: name('.gltf'), usda: name('.usda'), usdz: name('.usdz'), obj: name('.obj'), mtl: name('.mtl') },
  );
  for (const [kind, s] of Object.entries(seen)) {
    expect(s.triangles, kind).toBe(seen.glb.triangles);
    expect(s.shown, kind).toBeCloseTo(seen.glb.shown, 3);
    for (const k of [0, 1, 2]) expect(s.size[k], kind).toBeCloseTo(seen.glb.size[k], 4);
    // of 255: what is packed alike looks alike; that of OBJ knows neither roughness nor metal there
    expect(s.apart, kind).toBeLessThan(kind === 'obj' ? 4 : 0.3);
    expect(s.maps, kind).toEqual(kind === 'obj' ? ['map', 'normalMap'] : ['aoMap', 'map', 'metalnessMap', 'normalMap', 'roughnessMap']);
  }
  expect(seen.glb.shown).toBeGreaterThan(0.1);
  // MaterialX beside the glTF, both by the renderer that reads it
  const surface = await page.evaluate(
    async ({ glb, mtlx }) => {
      const from = (s: string) => import(/* @vite-ignore */ s);
      const T = await from('three/webgpu');
      const { GLTFLoader } = await from('three/addons/loaders/GLTFLoader.js');
      const { MaterialXLoader } = await from('three/addons/loaders/MaterialXLoader.js');
      const model = (await new GLTFLoader().loadAsync(`/read/${encodeURIComponent(glb)}`)).scene;
      const read = await new MaterialXLoader().setPath('/read/').loadAsync(encodeURIComponent(mtlx));
      const renderer = new T.WebGPURenderer({ antialias: false, forceWebGL: true });
      await renderer.init();
      renderer.setSize(192, 192);
      const target = new T.RenderTarget(192, 192);
      const scene = new T.Scene();
      scene.background = new T.Color(0x203040);
      scene.add(model, new T.HemisphereLight(0xffffff, 0x806040, 2));
      const sun = new T.DirectionalLight(0xffffff, 3);
      sun.position.set(1, 2, 3);
      scene.add(sun);
      const box = new T.Box3().setFromObject(model);
      const middle = box.getCenter(new T.Vector3()), far = box.getSize(new T.Vector3()).length();
      const camera = new T.PerspectiveCamera(35, 1, far / 50, far * 10);
      camera.position.copy(middle).add(new T.Vector3(0.6, 0.5, 1.2).multiplyScalar(far));
      camera.lookAt(middle);
      const draw = async () => {
        renderer.setRenderTarget(target);
        for (let i = 0; i < 8; i++) {
          await renderer.renderAsync(scene, camera);
          await new Promise((r) => setTimeout(r, 25));
        }
        return renderer.readRenderTargetPixelsAsync(target, 0, 0, 192, 192);
      };
      const a = await draw();
      let dressed = 0;
      model.traverse((o: any) => {
        if (!o.isMesh) return;
        const m = read.materials[o.material.name.replace(/[^A-Za-z0-9_]/g, '_')];
        if (m) ((o.material = m), dressed++);
      });
      const b = await draw();
      let sum = 0, bright = 0;
      for (let i = 0; i < a.length; i++) ((sum += Math.abs(a[i] - b[i])), (bright += b[i]));
      return { dressed, apart: sum / a.length, bright: bright / a.length };
    },
    { glb: name('.glb'), mtlx: name('.mtlx') },
  );
  expect(surface.dressed).toBeGreaterThan(0);
  expect(surface.apart).toBeLessThan(1);
  expect(surface.bright).toBeGreaterThan(20);
});

test('files of one model in all ways that others write read alike, and are written into', async ({ page }) => {
  const { Document, NodeIO } = await import('@gltf-transform/core');
  const { EXTMeshoptCompression, EXTTextureWebP, KHRMeshQuantization, KHRTextureTransform } = await import('@gltf-transform/extensions');
  const { MeshoptDecoder, MeshoptEncoder } = await import('meshoptimizer');
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  const extensions = [EXTMeshoptCompression, EXTTextureWebP, KHRMeshQuantization, KHRTextureTransform];
  const io = new NodeIO().registerExtensions(extensions).registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder });
  await page.goto('/');
  /** a picture of bands, as PNG and as WebP */
  const [png, webp] = await page.evaluate(async () => {
    const c = document.createElement('canvas');
    [c.width, c.height] = [64, 64];
    const g = c.getContext('2d')!;
    for (let x = 0; x < 8; x++)
      for (let y = 0; y < 8; y++) {
        g.fillStyle = `rgb(${40 + x * 25}, ${60 + y * 20}, ${200 - x * 10})`;
        g.fillRect(x * 8, y * 8, 8, 8);
      }
    const bytes = (type: string) => new Promise<number[]>((done) => c.toBlob(async (b) => done([...new Uint8Array(await b!.arrayBuffer())]), type, 1));
    return [await bytes('image/png'), await bytes('image/webp')];
  });
  /** a wavy sheet of 24 × 24 squares */
  const sheet = (change: (d: InstanceType<typeof Document>, p: any, m: any) => void = () => {}, picture = png, type = 'image/png') => {
    const d = new Document();
    const n = 25, pos: number[] = [], nrm: number[] = [], uv: number[] = [], idx: number[] = [];
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++) {
        pos.push(x / 24, 0.1 * Math.sin(x / 4), y / 24);
        nrm.push(0, 1, 0);
        uv.push(x / 24, y / 24);
        if (x < 24 && y < 24) idx.push(y * n + x, (y + 1) * n + x, y * n + x + 1, y * n + x + 1, (y + 1) * n + x, (y + 1) * n + x + 1);
      }
    const b = d.createBuffer();
    const acc = (type: any, a: any) => d.createAccessor().setType(type).setArray(a).setBuffer(b);
    const t = d.createTexture('bands').setImage(new Uint8Array(picture)).setMimeType(type);
    const m = d.createMaterial('Sailcloth').setBaseColorTexture(t).setMetallicFactor(0);
    const p = d.createPrimitive().setIndices(acc('SCALAR', new Uint16Array(idx))).setMaterial(m)
      .setAttribute('POSITION', acc('VEC3', new Float32Array(pos))).setAttribute('NORMAL', acc('VEC3', new Float32Array(nrm))).setAttribute('TEXCOORD_0', acc('VEC2', new Float32Array(uv)));
    const s = d.createScene().addChild(d.createNode('Sail').setMesh(d.createMesh('Sail').addPrimitive(p)));
    d.getRoot().setDefaultScene(s);
    change(d, p, m);
    return io.writeBinary(d);
  };
  const meshopt = (d: any) => d.createExtension(EXTMeshoptCompression).setRequired(true).setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
  const short = (d: any, p: any) => {
    d.createExtension(KHRMeshQuantization).setRequired(true);
    const uv = p.getAttribute('TEXCOORD_0'), nrm = p.getAttribute('NORMAL');
    uv.setArray(Uint16Array.from(uv.getArray(), (v: number) => Math.round(v * 65535))).setNormalized(true);
    nrm.setArray(Int8Array.from(nrm.getArray(), (v: number) => Math.round(v * 127))).setNormalized(true);
  };
  const files: Record<string, Uint8Array> = {
    plain: await sheet(),
    webp: await sheet((d) => d.createExtension(EXTTextureWebP).setRequired(true), webp, 'image/webp'),
    quantized: await sheet(short),
    packed: await sheet(meshopt),
    'packed and quantized': await sheet((d, p) => (short(d, p), meshopt(d))),
    moved: await sheet((d, p, m) => {
      const uv = p.getAttribute('TEXCOORD_0');
      uv.setArray(Float32Array.from(uv.getArray(), (v: number, i: number) => (v - (i % 2 ? 0.25 : 0.5)) * 4));
      const t = d.createExtension(KHRTextureTransform).createTransform().setScale([0.25, 0.25]).setOffset([0.5, 0.25]);
      m.getBaseColorTextureInfo().setExtension('KHR_texture_transform', t);
    }),
    'second UVs': await sheet((d, p, m) => {
      const uv = p.getAttribute('TEXCOORD_0');
      p.setAttribute('TEXCOORD_1', uv);
      p.setAttribute('TEXCOORD_0', uv.clone().setArray(new Float32Array(uv.getArray().length)));
      m.getBaseColorTextureInfo().setTexCoord(1);
    }),
  };
  let first: { facts: any; px: Uint8ClampedArray } | null = null;
  for (const [kind, bytes] of Object.entries(files)) {
    const fields: Record<string, any> = { files: { name: `${kind}.glb`, mimeType: 'model/gltf-binary', buffer: Buffer.from(bytes) } };
    if (kind === 'second UVs') fields.uv = '2';
    let job = await (await page.request.post('/api/projects', { multipart: fields })).json();
    await expect.poll(async () => (job = await (await page.request.get(`/api/jobs/${job.id}`)).json()).state).toBe('done');
    const id = job.project;
    const facts = await (await page.request.get(`/api/projects/${id}/facts`)).json();
    const preset = { name: 'base', size: 128, scenes: ['glb'], files: [{ map: 'base', format: 'png8', r: { source: 'baseColor' }, g: { source: 'baseColor', part: 1 }, b: { source: 'baseColor', part: 2 } }] };
    let out = await (await page.request.post(`/api/projects/${id}/deliveries`, { data: { sheets: [], maps: [], glb: false, preset } })).json();
    await expect.poll(async () => (out = await (await page.request.get(`/api/jobs/${out.id}`)).json()).state).toBe('done');
    const px = await page.evaluate(async (url) => {
      const img = await createImageBitmap(await (await fetch(url)).blob());
      const c = new OffscreenCanvas(img.width, img.height);
      const g = c.getContext('2d')!;
      g.drawImage(img, 0, 0);
      return [...g.getImageData(0, 0, img.width, img.height).data];
    }, `/api/jobs/${out.id}/files/${encodeURIComponent(out.files.find((f: any) => f.name.endsWith('base.png')).name)}`);
    first ??= { facts, px: px as any };
    expect(facts.triangles, kind).toBe(first.facts.triangles);
    expect(facts.sheets.map((s: any) => s.name), kind).toEqual(['Sailcloth']);
    // the bands of the picture are there, and are the same
    const apart = px.reduce((sum, v, i) => sum + Math.abs(v - first!.px[i]), 0) / px.length;
    expect(apart, kind).toBeLessThan(kind === 'webp' ? 4 : 1.5);
    expect(new Set(px.filter((_, i) => i % 4 === 0)).size, kind).toBeGreaterThan(6);
    const glb = new Uint8Array(await (await page.request.get(`/api/jobs/${out.id}/files/${encodeURIComponent(out.files.find((f: any) => f.name.endsWith('.glb')).name)}`)).body());
    // the validator knows neither of two extensions; what it finds beside that is wrong
    const r = await validateBytes(glb);
    expect(r.issues.messages.filter((m: any) => m.severity < 2 && !/UNSUPPORTED_EXT|UNRESOLVED/.test(m.code)), kind).toEqual([]);
    // another tool opens what was written, with all of its surface
    const back = await io.readBinary(glb);
    const prim = back.getRoot().listMeshes()[0].listPrimitives()[0];
    expect(prim.getIndices()!.getCount(), kind).toBe(24 * 24 * 6);
    const box = prim.getAttribute('POSITION')!.getMaxNormalized([]);
    expect(box[0], kind).toBeCloseTo(1, 3);
    expect((await page.request.delete(`/api/projects/${id}`)).ok(), kind).toBe(true);
  }
});
