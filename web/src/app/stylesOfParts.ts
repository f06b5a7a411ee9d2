import address from "virtual:antd-styles";

/** Puts the styles of Ant Design's parts before our own, which have the last word; done when they are there. */
export function stylesOfParts(): Promise<void> {
  return new Promise((done, failed) => {
    const link = document.createElement("link");
    link.rel = "stylesheet";
    link.href = address;
    link.onload = () => done();
    link.onerror = () => {
      link.remove();
      failed(new Error("The styles could not be fetched."));
    };
    document.head.prepend(link);
  });
}
