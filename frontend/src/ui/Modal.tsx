import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  readonly title: string;
  readonly about?: string;
  readonly wide?: boolean;
  readonly open: boolean;
  readonly onClose: () => void;
  readonly children: ReactNode;
}

/** What floats over the page: the one shadow that there is. */
export function Modal({ title, about, wide = false, open, onClose, children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          {...(about ? {} : { "aria-describedby": undefined })}
          onOpenAutoFocus={(event) => {
            // A dialog opens on its first field; the button that closes it comes first in the page, and is no field.
            const field = event.currentTarget instanceof HTMLElement ? event.currentTarget.querySelector<HTMLElement>("input, select, textarea") : null;
            if (!field) return;
            event.preventDefault();
            field.focus();
          }}
          className={`fixed top-1/2 left-1/2 z-50 max-h-[92vh] ${wide ? "w-[min(1080px,94vw)]" : "w-[min(560px,92vw)]"} -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-(--radius) border border-rule bg-sheet p-5 shadow-float`}
        >
          <div className="mb-3 flex items-start justify-between gap-4">
            <Dialog.Title className="text-base font-bold">{title}</Dialog.Title>
            <Dialog.Close aria-label="close" className="rounded-(--radius) p-1 hover:bg-shade">
              <X size={16} />
            </Dialog.Close>
          </div>
          {about && <Dialog.Description className="mb-3 text-soft">{about}</Dialog.Description>}
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
