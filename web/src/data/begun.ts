import { useState } from "react";

/**
 * What a form was filled from. What is read anew later, because others have changed it, does not reach
 * into the form: moved says that there is something newer, and begin starts from what it is given.
 */
export function useBegun<T extends { etag: string }>(read: T) {
  const [begun, begin] = useState(read);
  return { begun, begin, moved: read.etag !== begun.etag };
}
