//! Photos of a set-up. Each is encoded anew, upright and no larger than a page shows it: no EXIF, no location, nothing hidden.

use crate::error::AppError;
use crate::heavy;
use crate::state::AppState;
use flindo_store::NewPhoto;
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use jiff::Timestamp;
use std::io::Cursor;
use tokio::sync::Semaphore;

/// Of an upload; the form around it included.
pub const MOST_BYTES: usize = 12 * 1024 * 1024 + 16 * 1024;

/// Pictures of a bench that is kept for years.
const MOST_PHOTOS: usize = 40;

/// The longer side that is kept, pixels.
const LONGEST_PX: u32 = 1600;

/// The largest picture that is decoded: a side, and in all, pixels. Four bytes for each are taken while it is made smaller.
const LARGEST_PX: u32 = 12_000;
const MOST_PX: u64 = 60_000_000;

/// The longer side of the small picture in lists, pixels.
const THUMBNAIL_PX: u32 = 320;

/// What a picture of the longest side may take on the disk; a larger one is made smaller.
const MOST_KEPT_BYTES: usize = 1024 * 1024;

/// One picture is decoded at a time: each can take some hundred megabytes for a moment.
static ONE_AT_A_TIME: Semaphore = Semaphore::const_new(1);

const JPEG_QUALITY: u8 = 85;

/// A picture as it is kept.
pub struct Cleaned {
    media_type: &'static str,
    width_px: u32,
    height_px: u32,
    bytes: Vec<u8>,
    /// JPEG.
    thumbnail: Vec<u8>,
}

/// Reads, turns, shrinks and encodes a picture. The error is a sentence.
pub fn cleaned(bytes: &[u8]) -> Result<Cleaned, String> {
    let wrong = "This is not a PNG or JPEG picture.";
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|_| wrong.to_owned())?;
    let format = reader.format().filter(|format| matches!(format, ImageFormat::Png | ImageFormat::Jpeg)).ok_or(wrong)?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height) = (Some(LARGEST_PX), Some(LARGEST_PX));
    limits.max_alloc = Some(400 * 1024 * 1024);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(|error| format!("This picture cannot be read: {error}."))?;
    let (width_px, height_px) = decoder.dimensions();
    if u64::from(width_px) * u64::from(height_px) > MOST_PX {
        return Err(format!("This picture has {width_px} x {height_px} pixels; up to {} million fit.", MOST_PX / 1_000_000));
    }
    if format == ImageFormat::Jpeg && !is_whole_jpeg(bytes) {
        return Err("This picture is cut off: its end is missing. Send it again.".to_owned());
    }
    let orientation = decoder.orientation().unwrap_or(image::metadata::Orientation::NoTransforms);
    let mut picture = DynamicImage::from_decoder(decoder).map_err(|error| format!("This picture cannot be read: {error}."))?;
    picture.apply_orientation(orientation);
    let mut longest_px = LONGEST_PX;
    loop {
        let small =
            if picture.width().max(picture.height()) > longest_px { picture.thumbnail(longest_px, longest_px) } else { picture };
        let (media_type, written) = encoded(&small, format)?;
        // A long strip of noise as PNG can be large at any side: half the side is a quarter of it.
        if written.len() <= MOST_KEPT_BYTES || longest_px <= THUMBNAIL_PX {
            let is_small = small.width().max(small.height()) <= THUMBNAIL_PX;
            let thumbnail = if is_small { small.clone() } else { small.thumbnail(THUMBNAIL_PX, THUMBNAIL_PX) };
            let thumbnail = encoded(&thumbnail, ImageFormat::Jpeg)?.1;
            return Ok(Cleaned { media_type, width_px: small.width(), height_px: small.height(), bytes: written, thumbnail });
        }
        (picture, longest_px) = (small, longest_px / 2);
    }
}

/// A JPEG that goes on to its end mark (ITU-T T.81, B.1.1.3: FF D9). That of a small picture in its head, before the scan (FF DA), does
/// not count, and cameras may put something of their own behind it.
fn is_whole_jpeg(bytes: &[u8]) -> bool {
    let mut at = 2;
    while let Some(&[0xff, mark, high, low]) = bytes.get(at..at + 4).and_then(|head| head.first_chunk()) {
        match mark {
            0xda => return bytes[at..].windows(2).any(|mark| mark == [0xff, 0xd9]),
            // A byte between segments.
            0xff => at += 1,
            _ => at += 2 + usize::from(u16::from_be_bytes([high, low])),
        }
    }
    false
}

fn encoded(picture: &DynamicImage, format: ImageFormat) -> Result<(&'static str, Vec<u8>), String> {
    let mut out = Cursor::new(Vec::new());
    let (media_type, written) = if format == ImageFormat::Png {
        ("image/png", picture.write_to(&mut out, ImageFormat::Png))
    } else {
        ("image/jpeg", picture.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut out, JPEG_QUALITY)))
    };
    written.map_err(|error| format!("This picture cannot be kept: {error}."))?;
    Ok((media_type, out.into_inner()))
}

/// Keeps a picture with a test; answers its id.
pub async fn keep(state: &AppState, test_id: i64, file: Vec<u8>, run_id: Option<i64>, caption: &str) -> Result<i64, AppError> {
    let refused = |sentence: String| AppError::input("file", "", sentence);
    state.store.test(test_id).await?;
    if file.is_empty() {
        return Err(refused("Choose a picture first.".to_owned()));
    }
    if state.store.photos(test_id).await?.len() >= MOST_PHOTOS {
        return Err(refused(format!("A test holds {MOST_PHOTOS} photos: remove one first.")));
    }
    let turn = ONE_AT_A_TIME.acquire().await.map_err(|error| AppError::failed(&error))?;
    let cleaned = heavy::run(move |_| cleaned(&file)).await?;
    drop(turn);
    let Cleaned { media_type, width_px, height_px, bytes, thumbnail } = cleaned.map_err(refused)?;
    let caption = caption.trim().chars().take(120).collect();
    let photo = NewPhoto { run_id, caption, media_type, width_px, height_px, bytes, thumbnail };
    let id = state.store.add_photo(test_id, &photo, Timestamp::now()).await?;
    state.hub.tell(test_id);
    Ok(id)
}
