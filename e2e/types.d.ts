declare module "gltf-validator";
