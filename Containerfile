# The application alone; PostgreSQL is another container, named by DATABASE_URL.
#   podman build -t kentrobar .        (or any other OCI builder)
#   podman run -p 127.0.0.1:8000:8000 -v kentrobar:/var/lib/kentrobar -e DATABASE_URL=… kentrobar
# and beside it, from the same image, what does the work beside the pages and reads instruments:
#   podman run -v kentrobar:/var/lib/kentrobar -e DATABASE_URL=… kentrobar python -m kentrobar work
FROM debian:trixie-slim
RUN apt-get update -q \
 && DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends \
      python3 python3-venv postgresql-client libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 \
 && rm -rf /var/lib/apt/lists/* \
 && useradd --system --create-home --home-dir /var/lib/kentrobar kentrobar
WORKDIR /opt/kentrobar
COPY requirements.txt .
RUN python3 -m venv .venv && .venv/bin/pip install --no-cache-dir -q -r requirements.txt
COPY . .
ENV KENTROBAR_LOCAL=/var/lib/kentrobar PATH=/opt/kentrobar/.venv/bin:$PATH PYTHONUNBUFFERED=1 \
    OPENBLAS_NUM_THREADS=1 MALLOC_MMAP_THRESHOLD_=4194304
USER kentrobar
VOLUME /var/lib/kentrobar
EXPOSE 8000
CMD ["python", "-m", "kentrobar", "serve", "--bind", "0.0.0.0:8000"]
