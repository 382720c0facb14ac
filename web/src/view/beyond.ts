// What a surface can have beyond the usual channels, in the page's lit material: specular, coat, fuzz,
// transmission, scattering, anisotropy, read from two maps by way of the table.
import { ShaderChunk } from 'three';

/** Which of the two maps there are. */
export interface More {
  /** specular, coat, its roughness, transmission */
  clear: boolean;
  /** fuzz, scattering, anisotropy */
  soft: boolean;
}

/** Has a fragment program that reads its maps by way of the table read these, too. */
export function beyond(code: string, more: More): string {
  const say = (from: string, to: string) => {
    code = code.replace(from, to);
  };
  say(
    'vec4 pageOrm = texture2D(roughnessMap, pageUv);',
    `vec4 pageOrm = texture2D(roughnessMap, pageUv);
vec4 pageClear = ${more.clear ? 'texture2D(clearMap, pageUv)' : 'vec4(1.0, 0.0, 0.1, 0.0)'};
vec4 pageSoft = ${more.soft ? 'texture2D(softMap, pageUv)' : 'vec4(0.0)'};`,
  );
  say(
    'void main() {',
    `uniform sampler2D clearMap, softMap;
void main() {
#ifndef USE_MAP
vec4 pageClear = vec4(1.0, 0.0, 0.1, 0.0);
vec4 pageSoft = vec4(0.0);
#endif`,
  );
  let lit = ShaderChunk.lights_physical_fragment;
  const chunk = (from: string, to: string) => {
    lit = lit.replaceAll(from, to);
  };
  chunk(
    'float specularIntensityFactor = specularIntensity;',
    'float specularIntensityFactor = specularIntensity * pageClear.r;',
  );
  chunk('float specularIntensityFactor = 1.0;', 'float specularIntensityFactor = pageClear.r;');
  chunk('material.clearcoat = clearcoat;', 'material.clearcoat = clearcoat * pageClear.g;');
  chunk(
    'material.clearcoatRoughness = clearcoatRoughness;',
    'material.clearcoatRoughness = max( pageClear.b, 0.0525 );',
  );
  chunk('material.sheenColor = sheenColor;', 'material.sheenColor = pageSoft.r * ( 0.5 + 0.5 * diffuseColor.rgb );');
  chunk('vec2 anisotropyV = anisotropyVector;', 'vec2 anisotropyV = anisotropyVector * pageSoft.b;');
  // what scatters light inside lets that from behind through; how thick it is is not known here
  if (more.soft) lit += '\nfloat pageScatter = pageSoft.g * ( 1.0 - metalnessFactor );';
  say('#include <lights_physical_fragment>', lit);
  if (more.soft)
    say(
      '#include <lights_fragment_end>',
      `#include <lights_fragment_end>
#if defined( USE_ENVMAP )
if (pageScatter > 0.0) {
  vec3 through = getIBLIrradiance( - normal ) * 0.35;
  #if NUM_DIR_LIGHTS > 0
    float back = max( dot( - normal, directionalLights[ 0 ].direction ) + 0.4, 0.0 ) / 1.4;
    through += directionalLights[ 0 ].color * back * back * 0.5;
  #endif
  reflectedLight.indirectDiffuse += pageScatter * through * BRDF_Lambert( material.diffuseColor );
}
#endif`,
    );
  say(
    '#include <transmission_fragment>',
    ShaderChunk.transmission_fragment.replace(
      'material.transmission = transmission;',
      'material.transmission = transmission * pageClear.a;',
    ),
  );
  return code;
}
