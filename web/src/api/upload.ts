import { ApiError, csrfToken, type Schemas } from "./client";

/** Brings a file to the server, telling how much has arrived; `stop` ends it. */
export function upload(file: File, arrived: (share: number) => void, stop: AbortSignal): Promise<Schemas["UploadAnswer"]> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api/uploads?name=${encodeURIComponent(file.name)}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.setRequestHeader("X-CSRF-Token", csrfToken());
    request.responseType = "json";
    request.upload.onprogress = (event) => event.lengthComputable && arrived(event.loaded / event.total);
    request.onload = () => {
      if (request.status === 201) return resolve(request.response);
      const error = request.response?.error;
      reject(new ApiError(request.status, error?.code ?? "server", error?.message ?? "The file did not arrive. Nothing was changed."));
    };
    request.onerror = () => reject(new ApiError(0, "offline", "The server does not answer. The file did not arrive; try again."));
    request.onabort = () => reject(new ApiError(0, "stopped", "Stopped."));
    stop.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
