"""Uploads are refused by their size before they are read."""

from django.conf import settings
from django.core.files.uploadhandler import FileUploadHandler, StopUpload


class RefuseTooLarge(FileUploadHandler):
    """Stops an upload that says it is, or turns out to be, larger than the limit; marks the request."""

    def handle_raw_input(self, input_data, META, content_length, boundary, encoding=None):  # noqa: N803
        self.announced = content_length

    def receive_data_chunk(self, raw_data, start):
        # Django takes StopUpload here only, so what was announced is looked at when the first bytes come
        if max(self.announced, start + len(raw_data)) > settings.LARGEST_UPLOAD:
            self.request.upload_too_large = True
            raise StopUpload(connection_reset=True)
        return raw_data

    def file_complete(self, file_size):
        return None
