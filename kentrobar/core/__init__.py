"""The computation of Kentrobar. It knows no Django, no database and no page.

Start reading at ``body.py`` (what adds), then ``outline.py`` (where tape can lie),
``pieces.py`` (what can be put on or taken off) and ``predict.py`` (what a plan does).
"""
