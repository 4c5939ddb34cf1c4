//! Tables in Parquet, read wherever a table is read: as the CSV that says the same. Lists become cells side by side, so that
//! a column of vectors is as good as columns of numbers; bytes that are no text are left out.

/// How such a file begins (and ends).
pub const MAGIC: &[u8] = b"PAR1";

/// The rows of a Parquet file as CSV with a head, of at most `most_bytes`.
///
/// # Errors
///
/// What is wrong with the file, as the end of a sentence.
#[cfg(not(feature = "parquet"))]
pub fn to_csv(_file: &std::path::Path, _most_bytes: u64) -> Result<Vec<u8>, String> {
    Err("it is a Parquet file, which this build does not read; build with --features parquet, or use CSV"
        .to_owned())
}

#[cfg(feature = "parquet")]
pub use with_parquet::to_csv;

#[cfg(feature = "parquet")]
mod with_parquet {
    use std::fs::File;
    use std::path::Path;
    use std::sync::Arc;

    use parquet::basic::{ConvertedType, LogicalType, Type as Physical};
    use parquet::file::reader::{FileReader, SerializedFileReader};
    use parquet::record::{Field, List};
    use parquet::schema::types::Type;

    use crate::io_reason;
    use crate::reading::caught;

    pub fn to_csv(file: &Path, most_bytes: u64) -> Result<Vec<u8>, String> {
        caught(|| rows(file, most_bytes)).unwrap_or_else(|| Err("its data is damaged".to_owned()))
    }

    fn rows(file: &Path, most_bytes: u64) -> Result<Vec<u8>, String> {
        let wrong = |error: parquet::errors::ParquetError| error.to_string();
        let opened = File::open(file).map_err(|error| io_reason(&error))?;
        let reader = SerializedFileReader::new(opened).map_err(wrong)?;
        let schema = reader.metadata().file_metadata().schema().clone();
        let columns: Vec<Arc<Type>> =
            schema.get_fields().iter().filter(|column| is_readable(column)).cloned().collect();
        if columns.is_empty() {
            return Err("it has no column of text or numbers".to_owned());
        }
        let mut table = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
        let head: Vec<&str> = columns.iter().map(|column| column.name()).collect();
        table.write_record(&head).expect("memory takes what is written");
        let wanted = Type::group_type_builder(schema.name()).with_fields(columns.clone()).build();
        let rows = reader.get_row_iter(Some(wanted.map_err(wrong)?)).map_err(wrong)?;
        let mut bytes = 0u64;
        for row in rows {
            let row = row.map_err(wrong)?;
            let mut cells: Vec<String> = Vec::new();
            row.get_column_iter().for_each(|(_, field)| put(field, &mut cells));
            bytes += cells.iter().map(|cell| cell.len() as u64 + 1).sum::<u64>();
            if bytes > most_bytes {
                return Err(format!("its rows are larger than {} MiB", most_bytes >> 20));
            }
            table.write_record(&cells).expect("memory takes what is written");
        }
        Ok(table.into_inner().expect("memory takes what is written"))
    }

    /// Whether a column holds text or numbers, or lists of them.
    fn is_readable(column: &Type) -> bool {
        if let Type::GroupType { fields, .. } = column {
            return fields.len() == 1 && is_readable(&fields[0]);
        }
        let info = column.get_basic_info();
        match column.get_physical_type() {
            Physical::BYTE_ARRAY => {
                matches!(info.converted_type(), ConvertedType::UTF8 | ConvertedType::ENUM)
                    || matches!(info.logical_type_ref(), Some(LogicalType::String))
            }
            Physical::FIXED_LEN_BYTE_ARRAY | Physical::INT96 => false,
            _ => true,
        }
    }

    fn put(field: &Field, cells: &mut Vec<String>) {
        match field {
            Field::Null => cells.push(String::new()),
            Field::Str(text) => cells.push(text.clone()),
            Field::Float(value) => cells.push(value.to_string()),
            Field::Double(value) => cells.push(value.to_string()),
            Field::ListInternal(list) => put_list(list, cells),
            other => cells.push(other.to_string()),
        }
    }

    fn put_list(list: &List, cells: &mut Vec<String>) {
        list.elements().iter().for_each(|field| put(field, cells));
    }
}
