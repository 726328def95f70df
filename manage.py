#!/usr/bin/env python3
"""Django's command line for Kentrobar; it finds the private database when that is running."""

import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("KENTROBAR_PATIENT", "1")
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
