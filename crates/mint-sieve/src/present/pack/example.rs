//! A few lines of Python that read a pack, with the standard library and NumPy.

use sieve_core::pack::Form;

use super::PackReport;
use crate::packing::ManifestFormat;

/// The script for this pack.
pub fn example(report: &PackReport<'_>) -> String {
    let split = &report.numbers.training_split;
    // A literal of JSON is one of Python, but for what neither escapes in the same way, which is not ASCII.
    let split = serde_json::to_string(split).expect("text serialises");
    let rows = match report.request.manifest {
        ManifestFormat::Csv => {
            "with open(folder / f'{split}-manifest.csv', newline='', encoding='utf-8') as file:\n    rows = [{name: plain(cell) for name, cell in row.items()} for row in csv.DictReader(file)]"
        }
        ManifestFormat::Parquet => {
            "rows = pyarrow.parquet.read_table(folder / f'{split}-manifest.parquet').to_pylist()"
        }
        ManifestFormat::Jsonl => {
            "with open(folder / f'{split}-manifest.jsonl', encoding='utf-8') as file:\n    rows = [json.loads(line) for line in file]"
        }
    };
    let needs_arrow =
        report.request.form == Form::Parquet || report.request.manifest == ManifestFormat::Parquet;
    let arrow = if needs_arrow { "import pyarrow.parquet\n" } else { "" };
    let (imports, first, bytes) = match report.request.form {
        Form::Tree => ("", "", "(folder / row['path']).read_bytes()"),
        Form::Zip => (
            "import zipfile\n",
            "archive = zipfile.ZipFile(folder / f'{split}.zip')\n",
            "archive.read(row['path'])",
        ),
        Form::Tar => (
            "import tarfile\n",
            "archive = tarfile.open(folder / f'{split}.tar')\n",
            "archive.extractfile(row['path']).read()",
        ),
        Form::Shards => (
            "",
            "with open(folder / f'{split}-shards.csv', newline='', encoding='utf-8') as file:\n    places = {plain(place['path']): place for place in csv.DictReader(file)}\n\n\ndef read(path):\n    place = places[path]\n    with open(folder / place['shard'], 'rb') as shard:\n        shard.seek(int(place['offset']))\n        return shard.read(int(place['size_bytes']))\n\n\n",
            "read(row['path'])",
        ),
        Form::Arrow => (
            "import pyarrow\n",
            "with pyarrow.OSFile(str(folder / f'{split}.arrow')) as file:\n    first = pyarrow.ipc.open_file(file).get_batch(0).slice(0, 1).to_pylist()[0]\nrows.sort(key=lambda row: row['path'] != first['path'])\n",
            "first['image']",
        ),
        Form::Parquet => (
            "",
            "images = pyarrow.parquet.ParquetFile(folder / f'{split}.parquet')\nfirst = next(images.iter_batches(batch_size=1)).to_pylist()[0]\nrows.sort(key=lambda row: row['path'] != first['path'])\n",
            "first['image']",
        ),
        Form::Npy => (
            "import numpy\n",
            "images = numpy.load(folder / f'{split}-images.npy', mmap_mode='r')\nlabels = numpy.load(folder / f'{split}-labels.npy')\nprint(images.shape, images.dtype, labels[:10])\n",
            "images[0].tobytes()",
        ),
    };
    format!(
        "\"\"\"Reads this pack: python3 load_pack.py\"\"\"\nimport csv\nimport hashlib\nimport json\nimport pathlib\nimport re\n{imports}{arrow}\n\ndef plain(cell):\n    \"\"\"A cell of CSV without the apostrophe that keeps a spreadsheet from running it.\"\"\"\n    return cell[1:] if re.match(\"'+[-=+@\\t\\r]\", cell) else cell\n\n\nfolder = pathlib.Path(__file__).parent\nclasses = [one['class'] for one in json.loads((folder / 'class-index.json').read_text('utf-8'))['classes']]\nnumbers = json.loads((folder / 'numbers.json').read_text('utf-8'))\nsplit = {split}\n{rows}\n{first}row = rows[0]\ndata = {bytes}\nassert hashlib.sha256(data).hexdigest() == row['sha256'], row['path']\nassert row['class'] == classes[int(row['class_index'])]\nprint(len(rows), 'images of', len(classes), 'classes; first:', row['path'], len(data), 'bytes')\nprint('steps per epoch:', numbers['batches']['steps_per_epoch'])\n"
    )
}
