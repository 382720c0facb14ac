// Which scenes a glTF file has, read in the page before it is sent.

/** The names of the scenes of a .glb or .gltf; [] for other and unreadable files. */
export async function scenesOf(f: File): Promise<string[]> {
  try {
    let text = '';
    if (/\.gltf$/i.test(f.name)) text = await f.text();
    else if (/\.glb$/i.test(f.name)) {
      // header of 12 bytes, then the JSON chunk: length, kind, body (glTF 2.0, 4.4)
      const head = new DataView(await f.slice(0, 20).arrayBuffer());
      text = await f.slice(20, 20 + head.getUint32(12, true)).text();
    }
    const scenes: { name?: string }[] = text ? (JSON.parse(text).scenes ?? []) : [];
    return scenes.map((s, i) => s.name || `Scene ${i + 1}`);
  } catch {
    return []; // the server says what is wrong with the file
  }
}
