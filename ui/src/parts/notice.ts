import App from "ant-design-vue/es/app";

/** As long as it takes to notice a message and to read it slowly, twenty letters a second. */
const seconds = (text: string) => 3 + text.length / 20;

/** Short messages on top of the place: what was done, or what went wrong and what to do. */
export function useNotice() {
  const { message, modal } = App.useApp();
  return {
    done: (text: string) => void message.success(text, seconds(text)),
    refused: (error: unknown) => {
      const text = error instanceof Error ? error.message : String(error);
      message.error(text, 3 + seconds(text));
    },
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
