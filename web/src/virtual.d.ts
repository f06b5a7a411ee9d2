declare module "virtual:antd-styles" {
  /** Where the styles of Ant Design's parts are. */
  const address: string;
  export default address;
}
