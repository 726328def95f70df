"""The application gunicorn serves."""

import gc
import os
from functools import partial

from django.core.wsgi import get_wsgi_application

from kentrobar.ui.room import in_one_room

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
application = partial(in_one_room, get_wsgi_application())

# What is loaded by now stays: looking through it for rubbish again and again made one page in
# twenty slow.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 50)
