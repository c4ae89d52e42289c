import App from "ant-design-vue/es/app";

/** Short messages on top of the place: what was done, or what went wrong and what to do. */
export function useNotice() {
  const { message, modal } = App.useApp();
  return {
    done: (text: string) => void message.success(text),
    refused: (error: unknown) => void message.error(error instanceof Error ? error.message : String(error), 6),
    ask: (title: string, text: string, yes: string, no = "Stay here") =>
      new Promise<boolean>((resolve) =>
        modal.confirm({
          title,
          content: text,
          okText: yes,
          cancelText: no,
          onOk: () => resolve(true),
          onCancel: () => resolve(false),
        }),
      ),
  };
}
