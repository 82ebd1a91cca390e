// The phone's camera as a reader of stake codes, where the browser offers one. A hand scanner needs none of this: it types.

export const canScan = () => "BarcodeDetector" in window && Boolean(navigator.mediaDevices?.getUserMedia);

// Shows the camera in `box` until a code is read or `stop` is called. Resolves to the code, or to "" when stopped.
export function scan(box) {
  let stopped = false;
  const video = document.createElement("video");
  Object.assign(video, { muted: true, playsInline: true });
  box.replaceChildren(video);
  const look = async () => {
    const stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
    try {
      video.srcObject = stream;
      await video.play();
      const reader = new BarcodeDetector({ formats: ["qr_code"] });
      while (!stopped) {
        const [found] = await reader.detect(video);
        if (found) return found.rawValue;
        await new Promise((go) => setTimeout(go, 150));
      }
      return "";
    } finally {
      stream.getTracks().forEach((track) => track.stop());
      box.replaceChildren();
    }
  };
  return {
    code: look(),
    stop: () => {
      stopped = true;
    },
  };
}
