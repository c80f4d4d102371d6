import { buttonClass } from "./Button";

/** A button that opens a file. The same file, mended, is a new choice. */
export function FileButton({
  accept,
  tone = "plain",
  onFile,
  children,
}: {
  accept: string;
  tone?: "plain" | "main" | "quiet";
  onFile: (file: File) => void;
  children: string;
}) {
  return (
    <label className={`${buttonClass(tone)} cursor-pointer focus-within:outline-2 focus-within:outline-ink`}>
      <span>{children}</span>
      <input
        type="file"
        accept={accept}
        className="sr-only"
        onClick={(event) => {
          event.currentTarget.value = "";
        }}
        onChange={(event) => {
          const file = event.currentTarget.files?.[0];
          if (file) onFile(file);
        }}
      />
    </label>
  );
}
