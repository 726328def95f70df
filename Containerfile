# The whole application; PostgreSQL is another container, named by DATABASE_URL.
#   podman build -t kentrobar .        (or any other OCI builder)
#   podman run -p 127.0.0.1:8000:8000 -v kentrobar:/var/lib/kentrobar \
#       -e DATABASE_URL=… -e KENTROBAR_HOSTS=bench.example.com kentrobar
# Web server, workers, the reader of instruments and the nightly backup are in it. A command beside it:
#   podman exec CONTAINER python -m kentrobar user una
FROM debian:trixie-slim
RUN apt-get update -q \
 && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends \
      python3 python3-venv nginx postgresql-client libpango-1.0-0 libpangoft2-1.0-0 \
      libharfbuzz-subset0 \
 && rm -rf /var/lib/apt/lists/* \
 && useradd --system --create-home --home-dir /var/lib/kentrobar kentrobar
WORKDIR /opt/kentrobar
COPY requirements.txt .
RUN python3 -m venv .venv && .venv/bin/pip install --no-cache-dir -q -r requirements.txt
COPY . .
ENV KENTROBAR_LOCAL=/var/lib/kentrobar PATH=/opt/kentrobar/.venv/bin:$PATH PYTHONUNBUFFERED=1
USER kentrobar
VOLUME /var/lib/kentrobar
EXPOSE 8000
HEALTHCHECK --start-period=120s --interval=30s --timeout=10s CMD ["python", "-c", \
    "import urllib.request; urllib.request.urlopen('http://127.0.0.1:8000/health/', timeout=8)"]
CMD ["python", "-m", "ops.serve", "--listen", "0.0.0.0:8000"]
