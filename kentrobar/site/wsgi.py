"""The application gunicorn serves."""

import gc
import os
from collections.abc import Iterable
from typing import Any

from django.core.wsgi import get_wsgi_application

from kentrobar.ui.room import in_one_room

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
pages: Any = get_wsgi_application()


def application(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
    answer: Iterable[bytes] = in_one_room(pages, environ, start_response)
    return answer


# What is loaded by now stays: looking through it for rubbish again and again made one page in
# twenty slow.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 50)
