/** Bring another file into the part. */

import { useRef } from "react";

import { addSource } from "../state/work";
import { Button } from "../ui/Button";

export function AddSource() {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={chooser}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label="Another drawing file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) void addSource(file);
          e.target.value = "";
        }}
      />
      <Button
        className="!px-2 !py-0.5 text-[12.5px]"
        onClick={() => {
          chooser.current?.click();
        }}
      >
        Add a source
      </Button>
    </>
  );
}
