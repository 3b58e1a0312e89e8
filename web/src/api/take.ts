/** A file taken from the server: the browser saves it under the name that the server gives. */

export function take(address: string): void {
  const link = document.createElement("a");
  link.href = address;
  link.download = "";
  document.body.append(link);
  link.click();
  link.remove();
}

/** The file that a computation wrote. */
export const takeFileOf = (computation: string): void => {
  take(`/api/computations/${computation}/file`);
};
