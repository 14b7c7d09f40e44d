import type { FormEvent, ReactNode } from "react";
import { Button, Form, Modal } from "react-bootstrap";

/** A question over the screen: Enter does it, Escape leaves it. */
export function Sheet({
  title,
  action,
  onDone,
  onHide,
  wide = false,
  children,
}: {
  title: string;
  action: string;
  onDone: () => void;
  onHide: () => void;
  wide?: boolean;
  children: ReactNode;
}) {
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onDone();
    onHide();
  };
  return (
    <Modal
      show
      onHide={onHide}
      animation={false}
      centered
      size={wide ? "lg" : undefined}
      aria-labelledby="sheet-title"
    >
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="sheet-title">{title}</Modal.Title>
        </Modal.Header>
        <Modal.Body>{children}</Modal.Body>
        <Modal.Footer>
          <Button type="submit" variant="action">
            {action}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
