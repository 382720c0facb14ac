declare module "gltf-validator";
declare module "mikktspace";
