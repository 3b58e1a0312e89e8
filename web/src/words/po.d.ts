declare module "*.po" {
  import type { Catalogue } from "#words/catalogue";

  const catalogue: Catalogue;
  export default catalogue;
}
